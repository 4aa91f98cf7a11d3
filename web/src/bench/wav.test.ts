import { expect, it } from "vitest";
import { joinInt16, toInt16, wavBlob } from "./wav";

it("writes a WAV that says what it holds", async () => {
  const samples = joinInt16([toInt16(new Float32Array([0, 1])), toInt16(new Float32Array([-1, 2]))]);
  expect([...samples]).toEqual([0, 32767, -32767, 32767]);
  const bytes = new DataView(await wavBlob(samples, 44100).arrayBuffer());
  expect(bytes.byteLength).toBe(44 + 8);
  expect(bytes.getUint32(24, true)).toBe(44100);
  expect(bytes.getUint32(40, true)).toBe(8);
  expect(bytes.getInt16(46, true)).toBe(32767);
});
