/** How long a part still lasts, in words that say what it is from, and each part of its kind as a mark. */
import { describe, expect, it } from "vitest";
import type { Schemas } from "../api/client";
import { draw } from "../tests/draw";
import { Lasting, stillLasts } from "./Lasting";

type Life = Schemas["LifeOut"];
const left = { hours: 566.4, low: 390, high: 860, by: "2027-02-14", soonest: "2027-01-10", latest: "2027-04-02" };
const life = (more: Partial<Life> = {}): Life => ({
  left,
  own: true,
  expected_hours: 800,
  life_from: "typical",
  parts: 3,
  failures: 2,
  runs: 1,
  survival: [
    { hours: 500, share: 0.8, low: 0.6, high: 0.9 },
    { hours: 1000, share: 0.2, low: 0.05, high: 0.5 },
  ],
  rows: [
    { printer: "Bowline", label: "Nozzle", hours: 300, failed: true, runs: false, this: false },
    { printer: "Bowline", label: "Nozzle", hours: 200, failed: false, runs: true, this: true },
    { printer: "Capstan", label: "Nozzle", hours: 900, failed: false, runs: false, this: false },
  ],
  ...more,
});

describe("how long a part still lasts", () => {
  it("is told with its interval, its days and what it is from", () => {
    expect(stillLasts(life())).toBe(
      "Of 3 of its kind here 2 have failed: half of such parts last another 566 h (390 to 860) of use, about February 2027 (January 2027 to April 2027).",
    );
    expect(stillLasts(life({ own: false, left: { ...left, hours: 0, low: 0, high: 700 } }))).toContain(
      "it is past it. It may go on for up to 700 h",
    );
    expect(stillLasts(life({ left: { ...left, high: null, latest: null } }))).toContain("(390 or more)");
    expect(stillLasts(life({ left: { ...left, high: null, latest: null } }))).toContain("to some day far off");
  });

  it("says why it cannot be told", () => {
    expect(stillLasts(life({ left: null, own: false, expected_hours: null }))).toContain("does not wear by use");
    expect(stillLasts(life({ left: null }))).toContain("Read the meter");
  });

  it("shows each part of the kind where it stands", () => {
    const html = draw(<Lasting id={4} />, [[["components", 4, "life"], life()]]);
    expect(html).toContain("Bowline, Nozzle: 300 h, failed");
    expect(html).toContain("Bowline, Nozzle: 200 h, runs");
    expect(html).toContain("Capstan, Nozzle: 900 h, taken out sound");
    expect(html).toContain("this one");
    expect(html).not.toContain("are drawn");
    const many = draw(<Lasting id={4} />, [[["components", 4, "life"], life({ parts: 5600 })]]);
    expect(many).toContain("Of 5600 of its kind here");
    expect(many).toContain("3 of them are drawn, from the shortest life to the longest.");
  });
});
