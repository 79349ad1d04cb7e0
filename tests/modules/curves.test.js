import { curveStore } from "/static/js/voice-curves.js";
import { checks } from "./check.js";

const { same, wrong } = checks();
const asked = [];
const others = window.fetch.bind(window); // the page that this runs in asks for things of its own
window.fetch = (path, options) => {
  if (!String(path).startsWith("/curve/")) return others(path, options);
  asked.push(path);
  return Promise.resolve(new Response(new Uint8Array(4000).fill(200)));
};
const arrived = () => new Promise((done) => setTimeout(done, 20));
const timers = [];
let drawn = 0;
const store = curveStore({
  onArrival: () => { drawn += 1; }, address: (track, recording, tile) => `/curve/${track}-${recording}-${tile}`,
  later: (call, ms) => timers.push({ call, ms }),
});
const read = (version) => store.read(1, 4, version, 0, 48000, {});

same("the first is asked for at once", [read("a"), asked.length], ["none", 1]);
await arrived();
same("and drawn when it is there", [read("a"), drawn], ["known", 1]);
same("what is changed is not asked for", [read("b"), read("b"), asked.length, timers.length], ["older", "older", 1, 1]);
same("nor is the next step of it", [read("c"), asked.length, timers.length], ["older", 1, 2]);
timers[0].call();
same("a step that did not stand is passed over", [read("c"), asked.length, drawn], ["older", 1, 1]);
timers[1].call();
same("what has stood is asked for", [drawn, read("c"), asked.length], [2, "older", 2]);
await arrived();
same("and drawn", read("c"), "known");
same("what is taken back is there without being asked for", [read("a"), asked.length], ["known", 2]);
same("a second voice waits for nothing of the first", [store.read(2, 5, "a", 0, 48000, {}), asked.length], ["none", 3]);
window.fetch = others;
export default wrong;
