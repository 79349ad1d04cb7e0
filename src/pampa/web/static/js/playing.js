// What the transport does with the episode: play, loop, speed, as recorded or as treated.

export function playing(stage, remember) {
  return {
    play() {
      if (this.playing) return stage.player.stop();
      const from = this.playhead >= stage.doc.length ? 0 : this.playhead;
      this.playing = true;
      if (this.looping && this.selection) return stage.player.play(this.selection.start, { stop: this.selection.stop, loop: true });
      return stage.player.play(from);
    },
    playSelection() {
      if (!this.selection) return;
      this.playing = true;
      stage.player.play(this.selection.start, { stop: this.selection.stop, loop: this.looping });
    },
    toggleLoop() { this.looping = !this.looping; if (this.playing && this.selection) this.playSelection(); },
    // suppose : what is heard as if it had been edited, see the player.
    playRange(start, stop, suppose = {}) {
      this.playing = true;
      stage.player.play(Math.max(start, 0), { stop, suppose });
    },
    setSpeed(speed) {
      this.speed = Number(speed);
      remember("speed", this.speed);
      stage.player.set({ speed: this.speed });
    },
    asRecorded() { this.treated = false; stage.player.set({ treated: false }); },
    asTreated() { this.treated = true; stage.player.set({ treated: true }); },
  };
}
