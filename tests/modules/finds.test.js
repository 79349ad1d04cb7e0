import { closesUp, cutFor, placeFinds } from "/static/js/finds.js";
import { checks } from "./check.js";

const { same, wrong } = checks();
const manner = { closes: "alone", around: 0, whole: 0.6 };
const policy = {
  gone: 0.35, same: 0.5, rest: 480,
  manners: { filler: manner, breath: manner, silence: { ...manner, closes: "always", whole: 0.98 }, backchannel: { ...manner, closes: "never" }, click: { ...manner, around: 384 } },
};
const clip = (start, length, source) => ({ id: start, start, length, source, recording: 1 });
const doc = (clips, left = []) => ({ tracks: [{ id: 1, name: "Anders Quill", kind: "person", clips }], left });
const um = { kind: "filler", recording: 1, start: 1000, stop: 1400, alone: true };
const placed = (document) => placeFinds(document, [um], policy)[0];

same("where it lies after a cut before it", [placed(doc([clip(0, 500, 0), clip(500, 2000, 900)])).place, placed(doc([clip(0, 500, 0), clip(500, 2000, 900)])).state], [600, "open"]);
same("taken out", placed(doc([clip(0, 1000, 0), clip(1000, 600, 1400)])).state, "out");
same("half of it", placed(doc([clip(0, 1200, 0)])).state, "shortened");
same("left", placed(doc([clip(0, 3000, 0)], [{ kind: "filler", recording: 1, start: 990, stop: 1410 }])).state, "left");
same("another kind is not left", placed(doc([clip(0, 3000, 0)], [{ kind: "breath", recording: 1, start: 990, stop: 1410 }])).state, "open");
same("closes up", ["silence", "filler", "backchannel"].map((kind) => closesUp({ kind, alone: true }, policy)), [true, true, false]);
same("nobody's words are cut for what another said", cutFor({ ...um, alone: false, place: 100, until: 500, track: 1 }, 0, policy), { start: 100, stop: 500, tracks: [1] });
same("a silence keeps some of itself", cutFor({ kind: "silence", place: 0, until: 96000 }, 28800, policy), { start: 14400, stop: 81600 });
same("a click and what rings beside it", cutFor({ kind: "click", alone: true, place: 100, until: 200 }, 0, policy), { start: 0, stop: 584 });
export default wrong;
