import { DECIMALS, ticks } from "/static/js/canvas.js";
import { checks } from "./check.js";

const { same, wrong } = checks();
same("round times, few enough", ticks(0, 60, 9), { step: 10, at: [0, 10, 20, 30, 40, 50] });
same("only what lies within", ticks(61, 120, 9), { step: 10, at: [70, 80, 90, 100, 110] });
same("fine ones", ticks(1.02, 1.3, 8).at.map((at) => at.toFixed(2)), ["1.05", "1.10", "1.15", "1.20", "1.25"]);
same("no steps are left", ticks(0, 360000, 9).step, 3600);
same("in tens, on both sides of nothing", ticks(-12, 12.1, 6, DECIMALS), { step: 5, at: [-10, -5, 0, 5, 10] });
export default wrong;
