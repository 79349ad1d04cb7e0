// A microphone: opened, looked at, recorded from. What has been recorded is never lost to a microphone that goes.

const BEEP_S = 0.08;

export function makeRecorder({ onLevel, onLost }) {
  let context = null;
  let stream = null;
  let monitor = null;
  let blocks = null;
  let rate = 0;

  async function open(deviceId) {
    close();
    // As the microphone hears it: nothing levelled, cleaned or cancelled on the way.
    /** @type {MediaTrackConstraints} */
    const audio = { echoCancellation: false, noiseSuppression: false, autoGainControl: false, channelCount: 1 };
    if (deviceId) audio.deviceId = { exact: deviceId };
    stream = await navigator.mediaDevices.getUserMedia({ audio });
    context = new AudioContext();
    rate = context.sampleRate;
    await context.audioWorklet.addModule(new URL("../js/capture.js", import.meta.url));
    const source = context.createMediaStreamSource(stream);
    const capture = new AudioWorkletNode(context, "capture", {
      numberOfInputs: 1,
      numberOfOutputs: 1,
      channelCount: 1,
      channelCountMode: "explicit",
    });
    monitor = new GainNode(context, { gain: 0 });
    source.connect(capture).connect(monitor).connect(context.destination);
    capture.port.onmessage = ({ data }) => {
      if (!stream) return;
      if (blocks) blocks.push(data);
      let peak = 0;
      for (const sample of data) peak = Math.max(peak, Math.abs(sample));
      onLevel(peak, blocks ? data : null, rate);
    };
    stream.getAudioTracks()[0].addEventListener("ended", () => onLost());
    await context.resume();
  }

  function close() {
    if (stream) for (const track of stream.getTracks()) track.stop();
    if (context) context.close();
    stream = context = monitor = null;
  }

  return {
    open,
    close,
    monitor(on) { if (monitor) monitor.gain.value = on ? 1 : 0; },
    // Three beeps, a second apart; resolves when the fourth would come.
    async countIn(onBeep) {
      for (const left of [3, 2, 1]) {
        onBeep(left);
        const tone = new OscillatorNode(context, { frequency: 880 });
        const gain = new GainNode(context, { gain: 0.15 });
        tone.connect(gain).connect(context.destination);
        tone.start();
        tone.stop(context.currentTime + BEEP_S);
        await new Promise((resolve) => setTimeout(resolve, 1000));
      }
    },
    start() { blocks = []; },
    // The take: its samples and their rate, or null where nothing was recorded.
    stop() {
      if (!blocks) return null;
      const samples = new Float32Array(blocks.reduce((count, block) => count + block.length, 0));
      let at = 0;
      for (const block of blocks) { samples.set(block, at); at += block.length; }
      blocks = null;
      return samples.length ? { samples, rate } : null;
    },
  };
}

// A WAV file of 32-bit floats, one channel: what the microphone gave, bit for bit.
export function wavFile(name, samples, rate) {
  const head = new DataView(new ArrayBuffer(44));
  const text = (at, letters) => [...letters].forEach((letter, index) => head.setUint8(at + index, letter.charCodeAt(0)));
  text(0, "RIFF");
  head.setUint32(4, 36 + samples.byteLength, true);
  text(8, "WAVEfmt ");
  head.setUint32(16, 16, true);
  head.setUint16(20, 3, true);
  head.setUint16(22, 1, true);
  head.setUint32(24, rate, true);
  head.setUint32(28, rate * 4, true);
  head.setUint16(32, 4, true);
  head.setUint16(34, 32, true);
  text(36, "data");
  head.setUint32(40, samples.byteLength, true);
  return new File([head, samples], name, { type: "audio/wav" });
}
