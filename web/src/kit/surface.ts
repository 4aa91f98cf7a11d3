/** A surface through scattered heights, on a raster; and its contour lines. */
export type Place = { x: number; y: number; z: number };
/** Values row by row, from y0 up, in the places' own units. */
export type Raster = { n: number; x0: number; x1: number; y0: number; y1: number; z: number[] };

/** The height at a place, by the distance of those that are known (inverse cube); it goes through each of them. */
export function heightAt(places: Place[], x: number, y: number): number {
  let sum = 0;
  let weight = 0;
  for (const p of places) {
    const w = 1 / Math.max(Math.hypot(p.x - x, p.y - y), 1e-6) ** 3;
    sum += w * p.z;
    weight += w;
  }
  return sum / weight;
}

/** The surface through all places. */
export function surface(places: Place[], n = 33): Raster {
  const xs = places.map((p) => p.x);
  const ys = places.map((p) => p.y);
  const [x0, x1, y0, y1] = [Math.min(...xs), Math.max(...xs), Math.min(...ys), Math.max(...ys)];
  const z: number[] = [];
  for (let j = 0; j < n; j++)
    for (let i = 0; i < n; i++) {
      z.push(heightAt(places, x0 + ((x1 - x0) * i) / (n - 1), y0 + ((y1 - y0) * j) / (n - 1)));
    }
  return { n, x0, x1, y0, y1, z };
}

/** A step for contours that gives a handful of lines: 1, 2 or 5 of a power of ten. */
export function contourStep(range: number): number {
  const rough = Math.max(range, 1e-4) / 5;
  const power = 10 ** Math.floor(Math.log10(rough));
  return power * ([1, 2, 5].find((k) => k * power >= rough) ?? 10);
}

/** The pieces of one contour line, each from one side of a cell to another: [x, y, x, y]. */
export function contour(r: Raster, level: number): [number, number, number, number][] {
  const out: [number, number, number, number][] = [];
  const px = (i: number) => r.x0 + ((r.x1 - r.x0) * i) / (r.n - 1);
  const py = (j: number) => r.y0 + ((r.y1 - r.y0) * j) / (r.n - 1);
  for (let j = 0; j < r.n - 1; j++)
    for (let i = 0; i < r.n - 1; i++) {
      const corners = [
        [i, j],
        [i + 1, j],
        [i + 1, j + 1],
        [i, j + 1],
      ] as const;
      const cut: [number, number][] = [];
      corners.forEach(([ai, aj], k) => {
        const [bi, bj] = corners[(k + 1) % 4]!;
        const a = r.z[aj * r.n + ai]! - level;
        const b = r.z[bj * r.n + bi]! - level;
        if (a < 0 === b < 0) return;
        const s = a / (a - b);
        cut.push([px(ai) + s * (px(bi) - px(ai)), py(aj) + s * (py(bj) - py(aj))]);
      });
      for (let k = 0; k + 1 < cut.length; k += 2) out.push([...cut[k]!, ...cut[k + 1]!]);
    }
  return out;
}
