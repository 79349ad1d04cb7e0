// Two fingers on an element: a pinch tells which way, a short tap of both is told as one.

const STEP = 1.35; // a pinch by this much is one step
const TAP_MS = 260;
const STILL = 12;

// onBegin() : whatever one finger had begun ends. onPinch(1) : closer, onPinch(-1) : wider.
export function twoFingers(element, { onBegin, onPinch, onTap }) {
  const touches = new Map();
  let pinch = null;

  const apart = () => { const [a, b] = [...touches.values()]; return Math.hypot(a.x - b.x, a.y - b.y); };

  function down(event) {
    if (event.pointerType !== "touch") return;
    touches.set(event.pointerId, { x: event.clientX, y: event.clientY });
    if (touches.size !== 2) return;
    pinch = { from: apart(), began: event.timeStamp, still: true };
    onBegin();
  }
  function move(event) {
    if (!touches.has(event.pointerId)) return;
    touches.set(event.pointerId, { x: event.clientX, y: event.clientY });
    if (!pinch || touches.size !== 2) return;
    const now = apart();
    if (Math.abs(now - pinch.from) > STILL) pinch.still = false;
    if (now > pinch.from * STEP || now * STEP < pinch.from) {
      onPinch(now > pinch.from ? 1 : -1);
      pinch.from = now;
    }
  }
  function up(event) {
    if (!touches.delete(event.pointerId) || !pinch) return;
    if (event.type === "pointerup" && pinch.still && touches.size === 1 && event.timeStamp - pinch.began < TAP_MS) onTap();
    if (touches.size === 0) pinch = null;
    else pinch.still = false;
  }

  element.addEventListener("pointerdown", down);
  element.addEventListener("pointermove", move);
  for (const kind of ["pointerup", "pointercancel"]) element.addEventListener(kind, up);
  return { get active() { return pinch !== null; } };
}
