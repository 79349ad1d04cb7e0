import { clock, length, level, placeOf, shortClock, signed } from "/static/js/time.js";
import { checks } from "./check.js";

const { same, wrong } = checks();
same("a place", clock(260 * 48000 + 14400), "0:04:20.3");
same("rounded up into the next minute", clock(48000 * 60 - 1), "0:01:00.0");
same("never before the beginning", clock(-5), "0:00:00.0");
same("without hours", shortClock(260 * 48000), "4:20");
same("with hours", shortClock((3600 + 260) * 48000), "1:04:20");
same("a true minus", level(-16.24), "−16.2");
same("nothing measured", level(null), "–");
same("with its sign", [signed(2), signed(-2), signed(0)], ["+2.0", "−2.0", "0.0"]);
same("lengths", [length(24000), length(96000)], ["0.50\u00a0s", "2.0\u00a0s"]);
same("typed places", ["0:04:20.3", "4:20", "260", "1,5"].map((text) => placeOf(text)), [12494400, 12480000, 12480000, 72000]);
same("no place", ["", "4:", "x", "1:2:3:4", "-5"].map((text) => placeOf(text)), [null, null, null, null, null]);
export default wrong;
