import { turned } from "/static/js/stage-balance.js";
import { checks } from "./check.js";

const { same, wrong } = checks();
const place = { start_s: 1.5, stop_s: 2 };
const spot = { ...place, how: "lower", db: 3, low_hz: 0, high_hz: 24000 };
const band = { ...spot, low_hz: 200, high_hz: 400 };
same("a place is turned down", turned([], place, 3), [spot]);
same("and further", turned([band, spot], place, 3), [band, { ...spot, db: 6 }]);
same("and up again until nothing is left of it", turned([spot], place, -3), []);
same("no further than a spot may go", turned([{ ...spot, db: -12 }], place, -3), [{ ...spot, db: -12 }]);
export default wrong;
