import { columnWidth, line, ribbon, runs, toneCurve, yOfLufs } from "/static/js/series-drawing.js";
import { checks } from "./check.js";

const { same, wrong } = checks();
const at = (column, speech_lufs, spread_lu = 4, floor_lufs = -60) => ({ column, heard: { speech_lufs, spread_lu, floor_lufs }, off: null });
same("columns share the room within limits", [1, 10, 1000].map((count) => columnWidth(count, 800)), [120, 80, 22]);
same("levels beyond the scale lie at its edge", [yOfLufs(0), yOfLufs(-99)], [0, 132]);
same("louder lies higher", yOfLufs(-20) < yOfLufs(-30), true);
same("an episode without the person parts the line", runs([at(0, -21), at(1, -21), at(3, -21)], () => true).map((run) => run.length), [2, 1]);
same("a figure that is not known parts it too", runs([at(0, -21), at(1, null), at(2, -21)],
  (point) => point.heard.speech_lufs !== null).length, 2);
same("one line for each run", line([at(0, -21), at(1, -22), at(3, -21)], 40, "speech_lufs").split("M").length - 1, 2);
same("a ribbon is closed", ribbon([at(0, -21), at(1, -22)], 40).endsWith("Z"), true);
same("nothing is drawn of nothing", [ribbon([], 40), line([at(0, null)], 40, "speech_lufs")], ["", ""]);
const apart = { ...at(2, -21), off: { bands_db: [0, 6, -20] } };
same("a tone stays in its column and within its height", toneCurve(apart, [40, 1000, 4000], 100), "M212 11.5L288 46");
same("a first time has no usual", toneCurve(at(1, -21), [100, 1000], 40), "");

export default wrong;
