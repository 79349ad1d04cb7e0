// Line up: slide one person's sound against the others. Cuts stay where they are.

export function lineUp() {
  return {
    nudges: [-100, -10, -1, 1, 10, 100],
    nudge(track, ms) { return this.edit({ edit: "nudge", track: track.id, by: Math.round(ms * 48) }); },
    nudgeName: (ms) => `${ms > 0 ? "+" : "−"}${Math.abs(ms)}`,
    nudgeLabel: (track, ms) => `${ms > 0 ? "+" : "−"}${Math.abs(ms)} milliseconds, ${track.name} ${ms > 0 ? "later" : "earlier"}`,
  };
}
