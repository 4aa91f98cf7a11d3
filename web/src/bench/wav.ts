/** Samples to WAV, as uncompressed 16-bit PCM. */

export function toInt16(samples: Float32Array): Int16Array {
  const out = new Int16Array(samples.length);
  for (let i = 0; i < samples.length; i++) {
    const v = Math.max(-1, Math.min(1, samples[i]!));
    out[i] = Math.round(v * 32767);
  }
  return out;
}

export function joinInt16(pieces: Int16Array[]): Int16Array {
  const out = new Int16Array(pieces.reduce((n, p) => n + p.length, 0));
  let at = 0;
  for (const p of pieces) {
    out.set(p, at);
    at += p.length;
  }
  return out;
}

export function wavBlob(samples: Int16Array, rateHz: number): Blob {
  const head = new DataView(new ArrayBuffer(44));
  const text = (at: number, s: string) => {
    for (const [i, c] of [...s].entries()) head.setUint8(at + i, c.charCodeAt(0));
  };
  text(0, "RIFF");
  head.setUint32(4, 36 + samples.length * 2, true);
  text(8, "WAVEfmt ");
  head.setUint32(16, 16, true);
  head.setUint16(20, 1, true);
  head.setUint16(22, 1, true);
  head.setUint32(24, rateHz, true);
  head.setUint32(28, rateHz * 2, true);
  head.setUint16(32, 2, true);
  head.setUint16(34, 16, true);
  text(36, "data");
  head.setUint32(40, samples.length * 2, true);
  return new Blob([head, samples as Int16Array<ArrayBuffer>], { type: "audio/wav" });
}

/** A file as WAV: as it is where it is one; else decoded by the browser, which says that its source was lossy. */
export async function fileAsWav(file: File): Promise<{ wav: Blob; name: string; lossy: boolean }> {
  const head = new Uint8Array(await file.slice(0, 12).arrayBuffer());
  const tag = String.fromCharCode(...head.slice(0, 4), ...head.slice(8, 12));
  if (tag === "RIFFWAVE" || tag === "RF64WAVE" || !/^(audio|video)\//.test(file.type))
    return { wav: file, name: file.name, lossy: false };
  const context = new OfflineAudioContext(1, 1, 48000);
  try {
    const sound = await context.decodeAudioData(await file.arrayBuffer());
    return { wav: wavBlob(toInt16(sound.getChannelData(0)), sound.sampleRate), name: `${file.name}.wav`, lossy: true };
  } catch {
    throw new Error("The browser cannot read this recording. Save it as WAV on the phone, or record here.");
  }
}
