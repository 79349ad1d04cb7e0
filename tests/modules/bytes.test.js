import { byteCache } from "/static/js/bytes.js";
import { checks } from "./check.js";

const { same, wrong } = checks();
const asked = [];
const others = window.fetch.bind(window); // the page that this runs in asks for things of its own
window.fetch = (path, options) => (/^\/[abc]$/.test(path) ? answered(path, options) : others(path, options));
const answered = (path, { signal }) => new Promise((answer, refuse) => {
  asked.push({ path, aborted: () => signal.aborted, arrive: () => answer(new Response(new Uint8Array([asked.length]))) });
  signal.addEventListener("abort", () => refuse(new DOMException("given up", "AbortError")));
});
const settled = () => new Promise((done) => setTimeout(done, 20));
let arrivals = 0;
const cache = byteCache({ kept: 2, onArrival: () => { arrivals += 1; } });
const get = (name) => cache.get(name, `/${name}`, (buffer) => buffer.byteLength);

same("nothing yet", get("a"), null);
same("asked once", [get("a"), asked.length], [null, 1]);
cache.drawn();
asked[0].arrive();
await settled();
same("arrived", [get("a"), arrivals], [1, 1]);
get("b");
cache.drawn();
get("c");
cache.drawn(); // b went out of view before it came
same("given up", [asked[1].aborted(), asked[2].aborted(), cache.waiting], [true, false, 1]);
same("asked for again", [get("b"), asked.length], [null, 4]);
asked[2].arrive();
asked[3].arrive();
await settled();
same("only so many are kept", [get("b"), get("c"), get("a"), asked.length], [1, 1, null, 5]);
cache.forget();
same("forgotten", [asked[4].aborted(), cache.waiting], [true, 0]);
export default wrong;
