// Runs beside the sound: hands on what comes in, and posts it in blocks of 1024 samples.

const BLOCK = 1024;

class Capture extends AudioWorkletProcessor {
  constructor() {
    super();
    this.block = new Float32Array(BLOCK);
    this.filled = 0;
  }

  process([input], [output]) {
    const heard = input[0];
    if (!heard) return true;
    output[0].set(heard);
    this.block.set(heard, this.filled);
    this.filled += heard.length;
    if (this.filled === BLOCK) {
      this.port.postMessage(this.block, [this.block.buffer]);
      this.block = new Float32Array(BLOCK);
      this.filled = 0;
    }
    return true;
  }
}

registerProcessor("capture", Capture);
