// Playing one short piece of sound that the server made, apart from the episode.

import { api } from "./api.js";
import { RATE } from "./constants.js";


export function makeSnippet({ onEnd }) {
  let context = null;
  let node = null;
  let turn = 0;

  function silence() {
    turn++;
    if (!node) return;
    node.onended = null;
    node.stop();
    node = null;
  }

  return {
    stop() { silence(); onEnd(); },
    // `path` gives little-endian float32, stereo, 48 kHz.
    async play(path) {
      silence();
      const mine = turn;
      context ||= new AudioContext({ sampleRate: RATE });
      const samples = new Float32Array(await (await api.bytes(path)).arrayBuffer());
      if (mine !== turn) return;
      const buffer = context.createBuffer(2, Math.max(samples.length / 2, 1), RATE);
      for (const side of [0, 1]) buffer.copyToChannel(samples.filter((_, index) => index % 2 === side), side);
      node = new AudioBufferSourceNode(context, { buffer });
      node.connect(context.destination);
      node.onended = () => { node = null; onEnd(); };
      await context.resume();
      node.start();
    },
  };
}
