import { changed } from "/static/js/changes.js";
import { checks } from "./check.js";

const { same, wrong } = checks();
const clip = (id, start) => ({ id, start, length: 10 });
const before = { revision: 1, tracks: [{ id: 1, clips: [clip(1, 0), clip(2, 10), clip(3, 20)] }], seams: [], markers: [{ id: 9, at: 25 }] };
const unchanged = { kept: 0, new: [], moved: 0, by: 0 };
const after = changed(before, {
  revision: 2,
  tracks: [{ id: 1, clips: { kept: 1, new: [clip(4, 10)], moved: 1, by: -5 } }, { id: 2, clips: { kept: 0, new: [clip(5, 0)], moved: 0, by: 0 } }],
  seams: { ...unchanged, new: [{ id: 7, at: 15 }] },
  markers: { kept: 0, new: [], moved: 1, by: -5 },
});
same("kept, new, moved", after.tracks[0].clips, [clip(1, 0), clip(4, 10), clip(3, 15)]);
same("a new track", after.tracks[1].clips, [clip(5, 0)]);
same("seams and markers", [after.seams, after.markers], [[{ id: 7, at: 15 }], [{ id: 9, at: 20 }]]);
same("what was before stays", before.tracks[0].clips[2], clip(3, 20));
export default wrong;
