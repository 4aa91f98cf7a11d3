import { afterEach, expect, test, vi } from "vitest";
import { reach } from "./ByPhone";
import { apart, knocks, listen, type Reading, rateOf, stepOf, table, turned, upright, way } from "./phone";

const lying = (n: number, rate: number, at: [number, number, number] = [0.1, 0, 9.8], from = 0): Reading[] =>
  Array.from({ length: n }, (_, i) => [from + i / rate, at[0] + (i % 2 ? 0.1 : 0), at[1], at[2]]);

afterEach(() => vi.unstubAllGlobals());

test("rate and step are those of the readings", () => {
  expect(rateOf(lying(121, 60))).toBeCloseTo(60, 9);
  expect(stepOf(lying(60, 60))).toBeCloseTo(0.1, 9);
  expect([rateOf([]), stepOf([])]).toEqual([0, 0]);
  // One direction beside another is no step.
  expect(stepOf(lying(60, 60).map(([t, , y, z]) => [t, 0, y, z]))).toBe(0);
});

test("rates that are the same are one", () => {
  expect(apart([60, 50, 42])).toEqual([60, 50, 42]);
  expect(apart([59.6, 60.1, 60])).toEqual([59.6]);
  expect(apart([0, 60])).toEqual([60]);
});

test("what stands upright is told by gravity, either way round, and by nothing else", () => {
  expect(upright(lying(60, 60))).toBe(3);
  expect(upright(lying(60, 60, [0, -9.7, 0.8]))).toBe(2);
  expect(upright(lying(60, 60, [6.5, 0, 7.2]))).toBeNull();
  expect(upright(lying(60, 60, [0, 0, 0.4]))).toBeNull();
  expect(upright([])).toBeNull();
});

test("its directions along the machine's, as it lies", () => {
  expect(turned("flat-x", 3)).toEqual([2, 1, 3]);
  expect(turned("flat-y", 3)).toEqual([1, 2, 3]);
  expect(turned("up-y", 2)).toEqual([1, 3, 2]);
  expect(turned("up-y", 1)).toEqual([2, 3, 1]);
  expect(turned("up-x", 2)).toEqual([3, 1, 2]);
  expect(turned("flat-x", 2)).toBeNull();
  expect(turned("up-x", 3)).toBeNull();
});

test("knocks are counted once each, over what it reads at rest", () => {
  const rest = lying(60, 60);
  const swings = lying(600, 60, [0.1, 0, 9.8], 5);
  for (const at of [60, 180, 300]) for (let i = 0; i < 20; i++) swings[at + i]![1] += 3 * Math.cos(i);
  expect(knocks(swings, rest)).toBe(3);
  expect(knocks(rest, rest)).toBe(0);
});

test("the table runs from nothing, along the machine's axes, in order of time", () => {
  const text = table([lying(2, 50, [1, 2, 3], 10), lying(2, 60, [4, 5, 6], 8)], [2, 1, 3]);
  expect(text.split("\n").slice(0, 3)).toEqual([
    "time_s,ax,ay,az",
    "0.000000,5.0000,4.0000,6.0000",
    "0.016667,5.0000,4.1000,6.0000",
  ]);
  expect(text.trim().split("\n")).toHaveLength(5);
});

test("which way it can be read hangs on what the device and the page allow", () => {
  const device = (maxTouchPoints: number) => vi.stubGlobal("navigator", { maxTouchPoints });
  const page = (window: object) => vi.stubGlobal("window", window);
  page({ isSecureContext: true });
  device(0);
  expect(way()).toBe("none");
  device(5);
  expect(way()).toBe("none");
  page({ isSecureContext: true, Accelerometer: class {} });
  expect(way()).toBe("rates");
  page({ isSecureContext: true, DeviceMotionEvent: class {} });
  expect(way()).toBe("one");
  page({ isSecureContext: false, Accelerometer: class {} });
  expect(way()).toBe("insecure");
});

test("a sensor that refuses says what to do", async () => {
  class Refusing extends EventTarget {
    start() {
      const e = Object.assign(new Event("error"), { error: new DOMException("no", "NotAllowedError") });
      queueMicrotask(() => this.dispatchEvent(e));
    }
    stop() {}
  }
  vi.stubGlobal("window", { Accelerometer: Refusing });
  await expect(listen(60, () => {})).rejects.toThrow("Allow motion for this page");
});

test("what it can and cannot show is said before it is knocked, and after each rate", () => {
  expect(reach([60.2], 0.1, true)).toBe(
    "It reads 60 times a second, in steps of 0.10 m/s². Up to 30 Hz it sees by itself; other rates are to tell what rings higher.",
  );
  expect(reach([60.2, 50, 42], 0.1, false)).toContain("It reads 60, 50, and 42 times a second");
  expect(reach([60.2, 60.1], 0.004, false)).toContain(
    "under 0.01 m/s². What rings above 30 Hz looks like something below",
  );
});
