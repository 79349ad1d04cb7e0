// The pure functions of the geometry, there and back.

import * as g from "/static/js/geometry.js";
import { checks } from "./check.js";

const { same, wrong } = checks();
const clip = (start, length, source = start) => ({ id: start, start, length, source, recording: 1 });
const talk = (id, clips) => ({ id, kind: "person", name: "P", clips });
const long = [clip(0, 4800000)];
const tracks = [talk(1, long), talk(2, long), talk(3, [clip(960000, 1000)])];
const layout = g.layoutLines({ tracks, length: 4800000, rate: 48000, secondsPerLine: 20 });
for (const frame of [0, 1, 959999, 960000, 3333333, 4799999]) {
  const line = g.lineOf(frame, layout);
  const back = g.frameAt(g.xOf(frame, line, 1000), line.top + 5, layout, 1000);
  if (Math.abs(back - frame) > 1) wrong.push(["place", frame, back]);
}
if (layout.lines.length !== 5) wrong.push(["lines", layout.lines.length]);
const rows = layout.lines.map((line) => line.rows.length).join();
if (rows !== "1,2,1,1,1") wrong.push(["a third person takes room only where there is sound", rows]);
if (g.firstEndingAfter([clip(0, 10), clip(20, 10)], 10) !== 1) wrong.push("bisection");
if (g.stalkShare(0, 20) !== 0 || g.stalkShare(255, 0) !== 1) wrong.push("stalks");
const before = { length: 1000, tracks: [talk(1, [clip(0, 1000)])] };
const after = { length: 900, tracks: [talk(1, [clip(0, 200), clip(200, 700, 300)])] };
if (g.followed(500, before, after) !== 400) wrong.push("followed");
if (g.followed(100, before, after) !== 100) wrong.push("followed before");
if (g.followed(250, before, after) !== 200) wrong.push("followed inside");
same("people of a pair", g.rowsOf(tracks.slice(0, 2)).length, 1);
export default wrong;
