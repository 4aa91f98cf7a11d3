/** A phone's own motion sensor: how often and how finely it reads, how the phone lies, and its readings as a table. */

/** Seconds, and m/s² along the phone's short side, its long side, and out of its screen. */
export type Reading = [t: number, x: number, y: number, z: number];
type Heard = (reading: Reading) => void;

/** `rates`: it reads as often as it is asked to; `one`: at a rate of its own; `insecure`: the page may not, as it came; `none`. */
export type Way = "rates" | "one" | "insecure" | "none";

/** Readings a second that it is asked for, one after the other: what one rate shows elsewhere, the others tell apart. */
export const RATES = [60, 50, 42];
/** So long at each rate, with so many knocks; and lying still before. */
export const SECONDS = 16;
export const KNOCKS = 8;
export const STILL_S = 3;

type SensorLike = EventTarget & { x: number; y: number; z: number; timestamp: number; start(): void; stop(): void };
type SensorMade = new (how: { frequency: number }) => SensorLike;
const made = () => (window as unknown as { Accelerometer?: SensorMade }).Accelerometer;
type MotionEvents = typeof DeviceMotionEvent & { requestPermission?: () => Promise<string> };

export function way(): Way {
  if (!navigator.maxTouchPoints) return "none";
  if (!window.isSecureContext) return "insecure";
  if (made()) return "rates";
  return "DeviceMotionEvent" in window ? "one" : "none";
}

/** Listen at a rate; the promise is kept with what ends it once it reads, and broken where it does not. */
export async function listen(rate: number, heard: Heard): Promise<() => void> {
  const Sensor = made();
  if (Sensor) {
    const sensor = new Sensor({ frequency: rate });
    return new Promise((keep, refuse) => {
      sensor.addEventListener("reading", () => {
        heard([sensor.timestamp / 1000, sensor.x, sensor.y, sensor.z]);
        keep(() => sensor.stop());
      });
      sensor.addEventListener("error", (e) => {
        sensor.stop();
        refuse(refusal((e as Event & { error?: DOMException }).error?.name));
      });
      sensor.start();
    });
  }
  const Motion = DeviceMotionEvent as MotionEvents;
  if (Motion.requestPermission && (await Motion.requestPermission()) !== "granted") throw refusal("NotAllowedError");
  return new Promise((keep, refuse) => {
    const late = setTimeout(() => refuse(refusal(undefined)), 3000);
    const moved = (e: DeviceMotionEvent) => {
      const a = e.accelerationIncludingGravity;
      if (a?.x == null || a.y == null || a.z == null) return;
      clearTimeout(late);
      heard([e.timeStamp / 1000, a.x, a.y, a.z]);
      keep(() => window.removeEventListener("devicemotion", moved));
    };
    window.addEventListener("devicemotion", moved);
  });
}

const refusal = (name: string | undefined) =>
  new Error(
    name === "NotAllowedError" || name === "SecurityError"
      ? "The browser was not allowed to read the motion sensor. Allow motion for this page, and begin again."
      : "This device does not tell how it moves. Take another phone, or load a table.",
  );

/** Readings a second over a stretch. */
export function rateOf(readings: Reading[]): number {
  const first = readings[0];
  const last = readings.at(-1);
  return first && last && last[0] > first[0] ? (readings.length - 1) / (last[0] - first[0]) : 0;
}

/** The smallest step between readings of one direction (m/s²): finer it cannot tell. 0 where none of them changed. */
export function stepOf(readings: Reading[]): number {
  const steps = ([1, 2, 3] as const).flatMap((k) => {
    const values = [...new Set(readings.map((r) => r[k]))].sort((a, b) => a - b);
    return values.slice(1).map((v, i) => v - values[i]!);
  });
  const real = steps.filter((s) => s > 1e-6);
  return real.length ? real.reduce((least, s) => Math.min(least, s)) : 0;
}

/** How it is fixed: flat with its long side along an axis, or upright with its screen facing along one. */
export type Lie = "flat-x" | "flat-y" | "up-x" | "up-y";
type Side = 1 | 2 | 3;

/** Which of its own directions stands upright, by what it reads at rest; null where none clearly does. */
export function upright(readings: Reading[]): Side | null {
  const mean = ([1, 2, 3] as const).map((k) => readings.reduce((sum, r) => sum + r[k], 0) / (readings.length || 1));
  const whole = Math.hypot(...mean);
  if (whole < 7 || whole > 12.5) return null;
  const most = mean.reduce((best, v, k) => (Math.abs(v) > Math.abs(mean[best]!) ? k : best), 0);
  // Within 25 degrees.
  return Math.abs(mean[most]!) > 0.9 * whole ? ((most + 1) as Side) : null;
}

/** Which of its directions lie along X, Y and Z; null where it does not lie as was said. */
export function turned(lie: Lie, up: Side): [Side, Side, Side] | null {
  const flat = lie.startsWith("flat");
  if (flat !== (up === 3)) return null;
  // Along its long side when flat; out of its screen when upright.
  const told: Side = flat ? 2 : 3;
  const rest = ([1, 2, 3] as const).find((k) => k !== up && k !== told)!;
  return lie.endsWith("x") ? [told, rest, up] : [rest, told, up];
}

/** Knocks so far: loud beside what it read at rest, and apart from each other. */
export function knocks(readings: Reading[], rest: Reading[]): number {
  const mean = ([1, 2, 3] as const).map((k) => rest.reduce((sum, r) => sum + r[k], 0) / (rest.length || 1));
  const off = (r: Reading) => Math.hypot(r[1] - mean[0]!, r[2] - mean[1]!, r[3] - mean[2]!);
  const quiet = Math.max(...rest.map(off), 0.15);
  let count = 0;
  let last = Number.NEGATIVE_INFINITY;
  for (const r of readings)
    if (off(r) > 4 * quiet) {
      if (r[0] - last > 0.7) count++;
      last = r[0];
    }
  return count;
}

/** All stretches as the table that the core reads, along the machine's axes. */
export function table(stretches: Reading[][], axes: [Side, Side, Side]): string {
  const rows = stretches.flat().sort((a, b) => a[0] - b[0]);
  const begin = rows[0]?.[0] ?? 0;
  const lines = rows.map((r) => [(r[0] - begin).toFixed(6), ...axes.map((k) => r[k].toFixed(4))].join(","));
  return `time_s,ax,ay,az\n${lines.join("\n")}\n`;
}

/** Rates that differ: as many as it really gave. */
export function apart(rates: number[]): number[] {
  return rates.filter((r, i) => r > 0 && rates.slice(0, i).every((q) => Math.abs(r / q - 1) > 0.04));
}
