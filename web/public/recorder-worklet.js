// Hands the microphone's samples on as they are, in pieces of about a fifth of a second.
class Recorder extends AudioWorkletProcessor {
  constructor() {
    super();
    this.piece = new Float32Array(Math.round(sampleRate / 5));
    this.filled = 0;
  }

  process(inputs) {
    const channel = inputs[0]?.[0];
    if (channel) {
      let at = 0;
      while (at < channel.length) {
        const take = Math.min(channel.length - at, this.piece.length - this.filled);
        this.piece.set(channel.subarray(at, at + take), this.filled);
        this.filled += take;
        at += take;
        if (this.filled === this.piece.length) {
          this.port.postMessage(this.piece.slice());
          this.filled = 0;
        }
      }
    }
    return true;
  }
}
registerProcessor("kestov-recorder", Recorder);
