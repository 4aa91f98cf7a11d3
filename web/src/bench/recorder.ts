/** The microphone: raw samples, no codec and no cleaning up; sent in pieces to the core, which alone finds plucks. */
import { newKey, Refusal, type Schemas, send } from "../api/client";
import { joinInt16, toInt16, wavBlob } from "./wav";

export type Heard = Schemas["Heard"];
export type Live = {
  seconds: number;
  level: number;
  low: number[];
  high: number[];
  heard: Heard | null;
  dropped: boolean;
};

export const canRecord = () => window.isSecureContext && "mediaDevices" in navigator && "AudioWorkletNode" in window;

export class Recorder {
  readonly id = newKey();
  private pieces: Int16Array[] = [];
  private unsent: Int16Array[] = [];
  private chunks = 0;
  private queue: Promise<void> = Promise.resolve();
  private failed = false;
  private live: Live = { seconds: 0, level: 0, low: [], high: [], heard: null, dropped: false };

  private constructor(
    private context: AudioContext,
    private stream: MediaStream,
    private tell: (live: Live) => void,
    private sends: boolean,
  ) {}

  /** ``sends``: what is heard goes to the core piece by piece; else it stays here until it is stopped. */
  static async start(tell: (live: Live) => void, sends = true): Promise<Recorder> {
    let stream: MediaStream;
    try {
      stream = await navigator.mediaDevices.getUserMedia({
        audio: { echoCancellation: false, noiseSuppression: false, autoGainControl: false, channelCount: 1 },
      });
    } catch (e) {
      const denied = e instanceof DOMException && e.name === "NotAllowedError";
      throw new Error(
        denied
          ? "The browser was not allowed to listen. Allow the microphone for this page, or load a file."
          : "No microphone was found. Plug one in, or load a file.",
      );
    }
    const context = new AudioContext();
    await context.audioWorklet.addModule("/recorder-worklet.js");
    const recorder = new Recorder(context, stream, tell, sends);
    const node = new AudioWorkletNode(context, "kestov-recorder");
    node.port.onmessage = (e: MessageEvent<Float32Array>) => recorder.take(e.data);
    context.createMediaStreamSource(stream).connect(node);
    return recorder;
  }

  get rate(): number {
    return this.context.sampleRate;
  }

  private take(piece: Float32Array) {
    const samples = toInt16(piece);
    this.pieces.push(samples);
    this.unsent.push(samples);
    const columns = 6;
    const step = Math.floor(piece.length / columns);
    for (let i = 0; i < columns; i++) {
      const part = piece.subarray(i * step, (i + 1) * step);
      this.live.low.push(Math.min(...part));
      this.live.high.push(Math.max(...part));
    }
    const peak = piece.reduce((m, v) => Math.max(m, Math.abs(v)), 0);
    this.live = { ...this.live, seconds: this.live.seconds + piece.length / this.rate, level: peak };
    this.tell(this.live);
    if (this.sends && this.unsent.length >= 5) this.flush();
  }

  private flush() {
    if (!this.unsent.length) return;
    const chunk = joinInt16(this.unsent);
    const number = this.chunks++;
    this.unsent = [];
    this.queue = this.queue.then(async () => {
      if (this.failed) return;
      try {
        const url = `/api/recordings/${this.id}/chunks/${number}?rate_hz=${this.rate}`;
        const heard = await send<Heard>(url, chunk.buffer as ArrayBuffer, newKey(), "application/octet-stream", 3);
        this.live = { ...this.live, heard };
      } catch (e) {
        // The whole is kept here and sent as one file at the end.
        this.failed = true;
        this.live = { ...this.live, dropped: e instanceof Refusal && e.isPassing };
      }
      this.tell(this.live);
    });
  }

  /** Stop listening. The sound as WAV, and the number of chunks if all have reached the workshop, else null. */
  async stop(): Promise<{ wav: Blob; chunks: number | null }> {
    for (const t of this.stream.getTracks()) t.stop();
    const rate = this.rate;
    await this.context.close();
    if (this.sends) this.flush();
    const wav = wavBlob(joinInt16(this.pieces), rate);
    await this.queue;
    return { wav, chunks: this.failed || !this.sends ? null : this.chunks };
  }

  /** Stop and forget. */
  async abandon(): Promise<void> {
    this.failed = true;
    for (const t of this.stream.getTracks()) t.stop();
    if (this.context.state !== "closed") await this.context.close();
  }
}
