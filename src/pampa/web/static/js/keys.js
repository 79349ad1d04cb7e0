// Which key does what: one table for the page and for the help that lists it.

export const KEYS = [
  { keys: "Space", does: "transport.play", what: "Play and stop" },
  { keys: "←", match: "ArrowLeft", does: "transport.stepBack", what: "Back by a step (a tenth of a second)" },
  { keys: "→", match: "ArrowRight", does: "transport.stepForth", what: "Forward by a step" },
  { keys: "Shift ←", match: "Shift+ArrowLeft", does: "transport.leapBack", what: "Back by two seconds" },
  { keys: "Shift →", match: "Shift+ArrowRight", does: "transport.leapForth", what: "Forward by two seconds" },
  { keys: "↑", match: "ArrowUp", does: "transport.upALine", what: "Up by a line" },
  { keys: "↓", match: "ArrowDown", does: "transport.downALine", what: "Down by a line" },
  { keys: "Home", does: "transport.toStart", what: "To the beginning" },
  { keys: "End", does: "transport.toEnd", what: "To the end" },
  { keys: "[", does: "selection.setIn", what: "In point here" },
  { keys: "]", does: "selection.setOut", what: "Out point here" },
  { keys: "Delete", match: "Delete", also: "Backspace", does: "hand.takeOut", what: "Take out and close up on all linked tracks" },
  { keys: "Shift Delete", match: "Shift+Delete", also: "Shift+Backspace", does: "hand.clear", what: "Take out and leave room tone" },
  { keys: "S", match: "s", does: "hand.split", what: "Split at the playhead" },
  { keys: "M", match: "m", does: "places.mark", what: "Mark this place" },
  { keys: "J", match: "j", does: "hand.joinHere", what: "Join again what was split here" },
  { keys: "Q", match: "q", does: "hand.toQuiet", what: "Edges, or the playhead, to the quiet between words" },
  { keys: "W", match: "w", does: "hand.hearWithout", what: "Hear it as if it were taken out" },
  { keys: "I", match: "i", does: "hand.putIn", what: "Put in room tone or silence at the playhead" },
  { keys: "D", match: "d", does: "hand.duplicate", what: "Duplicate the selection after itself" },
  { keys: "Ctrl C", match: "Ctrl+c", does: "hand.copy", what: "Copy the selection" },
  { keys: "Ctrl X", match: "Ctrl+x", does: "hand.cutToCarry", what: "Take the selection along, to be put elsewhere" },
  { keys: "Ctrl V", match: "Ctrl+v", does: "hand.paste", what: "Put it in at the playhead; everything after makes room" },
  { keys: ", .", match: ",", does: "hand.leftSooner", what: "Left edge or side 10 ms earlier, later" },
  { keys: ".", match: ".", does: "hand.leftLater", listed: false },
  { keys: "< >", match: "<", does: "hand.rightSooner", what: "Right edge or side 10 ms earlier, later" },
  { keys: ">", match: ">", does: "hand.rightLater", listed: false },
  { keys: "N", match: "n", does: "finds.nextPlace", what: "To the next find or seam" },
  { keys: "P", match: "p", does: "finds.previousPlace", what: "To the previous find or seam" },
  { keys: "T", match: "t", does: "finds.take", what: "Take the chosen find out" },
  { keys: "H", match: "h", does: "finds.shorten", what: "Shorten the chosen silence" },
  { keys: "L", match: "l", does: "finds.leave", what: "Leave the chosen find as it is" },
  { keys: "Y", match: "y", does: "findRun.toggle", what: "Hear ten finds in a row, each as if it were out" },
  { keys: "B", match: "b", does: "seams.putBack", what: "Put the chosen seam back" },
  { keys: "E", match: "e", does: "finds.hear", what: "Play the chosen find, or across the join" },
  { keys: "U", match: "u", does: "seams.toggleOpened", what: "Open the chosen seam and see what is missing, or close it" },
  { keys: "G", match: "g", does: "balance.softer", what: "What one person says there 3 dB softer, before the compressor" },
  { keys: "Shift G", match: "G", does: "balance.louder", what: "The same, 3 dB louder" },
  { keys: "V", match: "v", does: "music.lower", what: "What is selected 3 dB softer in the mix: one person, or all music and effects" },
  { keys: "Shift V", match: "V", does: "music.lift", what: "The same, 3 dB louder" },
  { keys: "O", match: "o", does: "transport.toggleLoop", what: "Loop the selection" },
  { keys: "R", match: "r", does: "pickUp.recordOrStop", what: "Record a pick-up line, and stop" },
  { keys: "1", does: "transport.asRecorded", what: "Hear as recorded" },
  { keys: "2", does: "transport.asTreated", what: "Hear as treated" },
  { keys: "3", does: "transport.takenAway", what: "Hear what is taken away (in Mend and Balance)" },
  { keys: "A", match: "a", does: "recipes.toggle", what: "Hold a voice as it is set; from one setting, or state, to the other" },
  { keys: "Shift 1 … 9", match: "Shift+1", does: "recipes.byNumber:1", what: "Treat the chosen voice by a kept recipe" },
  ...[2, 3, 4, 5, 6, 7, 8, 9].map((n) => ({ keys: "", match: `Shift+${n}`, does: `recipes.byNumber:${n}`, listed: false })),
  { keys: "+", match: "+", also: "=", does: "transport.finer", what: "Fewer seconds on a line" },
  { keys: "−", match: "-", does: "transport.coarser", what: "More seconds on a line" },
  { keys: "K", match: "k", does: "hand.choosePiece", what: "Choose the piece at the playhead, or the next track's" },
  { keys: "Esc", match: "Escape", does: "selection.letGo", what: "Let the selection go" },
  { keys: "Ctrl Z", match: "Ctrl+z", does: "episode.undo", what: "Undo" },
  { keys: "Ctrl Shift Z", match: "Ctrl+Shift+Z", also: "Ctrl+y", does: "episode.redo", what: "Redo" },
  { keys: "?", match: "?", does: "toggleHelp", what: "Show these keys" },
];

// What keys do while two states are compared.
export const COMPARE_ACTIONS = { "transport.play": "compare.play", "recipes.toggle": "compare.swap" };

const nameOf = (event) => {
  // What Shift makes of a digit hangs on the keyboard's layout.
  const digit = event.shiftKey && /^Digit[1-9]$/.exec(event.code ?? "");
  if (digit) return `Shift+${event.code.slice(5)}`;
  const key = event.key === " " ? "Space" : event.key;
  const shifted = event.shiftKey && (key.length > 1 || event.ctrlKey || event.metaKey);
  return `${event.ctrlKey || event.metaKey ? "Ctrl+" : ""}${shifted ? "Shift+" : ""}${key}`;
};

const typing = (element) =>
  element.closest("input:not([type=range]):not([type=checkbox]):not([type=radio]), textarea, select, [contenteditable]");

function named(event) {
  const name = nameOf(event);
  const entry = KEYS.find((candidate) => (candidate.match ?? candidate.keys) === name || candidate.also === name);
  return entry ? entry.does : null;
}

// What was last pressed with the pointer keeps the focus, but the keyboard stays the sheet's until Tab is pressed:
// Space plays, and does not press the button again.
let byPointer = null;
export function watchPointer(root) {
  root.addEventListener(
    "pointerdown",
    (event) => {
      byPointer = event.target instanceof Element ? event.target.closest(PRESSED) : null;
    },
    true,
  );
  root.addEventListener("keydown", (event) => { if (event.key === "Tab") byPointer = null; }, true);
}
const PRESSED = "button, a, input[type=radio], input[type=checkbox], input[type=range], summary";

// A key that types something: it may be switched off for who dictates, or rests a hand on the keyboard (WCAG 2.1.4).
const types = (event) => event.key.length === 1 && event.key !== " " && !event.ctrlKey && !event.metaKey;

// The action for a key press, or null where the key belongs to a field or a button.
export function actionFor(event, letters = true) {
  if (event.altKey || event.defaultPrevented || (!letters && types(event))) return null;
  if (!(event.target instanceof Element)) return named(event);
  if (typing(event.target)) return null;
  if (event.target.closest("dialog, .modal")) return null;
  if (byPointer !== null && event.target === byPointer) return named(event);
  const name = nameOf(event);
  if (event.target.closest("button, a, input") && ["Space", "Enter"].includes(name) && event.target.closest("button, a")) return null;
  if (event.target.matches("input[type=range]") && /^(Arrow|Home$|End$)/.test(name)) return null;
  return named(event);
}
