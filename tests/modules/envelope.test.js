import { dbOfShare, fadeDb, heightShare, levelAt, moved, withPoint, without } from "/static/js/envelope.js";
import { checks } from "./check.js";

const { same, wrong } = checks();
const points = [[100, 0], [200, -6], [400, -6]];
same("straight between points, and held outside", [0, 150, 300, 900].map((place) => levelAt(points, place)), [0, -3, -6, -6]);
same("without points it is even", levelAt([], 50), 0);
same("a new point lies on the line, held on either side", withPoint([], 5000, 1000), { points: [[4000, 0], [5000, 0], [6000, 0]], index: 1 });
same("where others are near, they hold it", withPoint(points, 150, 100).points, [[100, 0], [150, -3], [200, -6], [400, -6]]);
same("a point stays between its neighbours, in steps", moved(points, 1, [900, -7.3]), [[100, 0], [399, -7.5], [400, -6]]);
same("and goes", without(points, 1), [[100, 0], [400, -6]]);
same("heights go both ways", [-30, -12, 0, 6].map((db) => Math.round(dbOfShare(heightShare(db)))), [-30, -12, 0, 6]);
const clip = { start: 0, length: 1000, fade_in: 0, fade_out: 500, shape_in: "natural", shape_out: "straight" };
same("a fade that is straight in dB", [400, 750].map((frame) => Math.round(fadeDb(clip, frame))), [0, -30]);
same("and one by hand", Math.round(fadeDb({ ...clip, shape_out: "natural" }, 750)), -6);
export default wrong;
