// What keys do in Mend, where it is something else than elsewhere.

// In Mend, these keys and buttons mean the recording and not the episode.
export const MEND_ACTIONS = {
  "transport.play": "mend.playOrStop",
  "transport.playSelection": "mend.playSelection",
  "transport.asRecorded": "mend.asRecorded",
  "transport.asTreated": "mend.asTreated",
  "transport.takenAway": "mend.takenAway",
  "transport.stepBack": "mend.stepBack",
  "transport.stepForth": "mend.stepForth",
  "transport.leapBack": "mend.leapBack",
  "transport.leapForth": "mend.leapForth",
  "transport.toStart": "mend.toStart",
  "transport.toEnd": "mend.toEnd",
  "selection.letGo": "mend.letGo",
  "selection.setIn": "mend.setIn",
  "selection.setOut": "mend.setOut",
  "transport.finer": "mend.closer",
  "transport.coarser": "mend.wider",
  "finds.nextPlace": "mend.nextPlace",
  "finds.previousPlace": "mend.previousPlace",
  ...Object.fromEntries([1, 2, 3, 4, 5, 6, 7, 8, 9].map((n) => [`recipes.byNumber:${n}`, `mend.byNumber:${n}`])),
};
const ELSEWHERE = [
  "hand.choosePiece",
  "hand.takeOut",
  "hand.clear",
  "hand.split",
  "places.mark",
  "seams.putBack",
  "finds.hear",
  "finds.take",
  "finds.shorten",
  "finds.leave",
  "transport.upALine",
  "transport.downALine",
  "balance.softer",
  "balance.louder",
  "recipes.toggle",
];
for (const action of ELSEWHERE) MEND_ACTIONS[action] = null;
