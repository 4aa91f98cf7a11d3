import { afterEach, describe, expect, it, vi } from "vitest";
import { ago, dayOf, eighth, oddOne, onDay, parseFigure, sentence, show, turns } from "./figures";

const si = { length_unit: "mm", force_unit: "N" } as const;

describe("figures", () => {
  it("are rounded to the uncertainty's second digit", () => {
    expect(show({ value: 61.2345, u95: 1.437, unit: "N" }, si)).toEqual({
      value: "61.2",
      pm: "1.4",
      unit: "N",
      ends: null,
    });
    expect(show({ value: 0.51234, u95: 0.0213, unit: "mm" }, si)).toEqual({
      value: "0.512",
      pm: "0.021",
      unit: "mm",
      ends: null,
    });
  });
  it("are told by their ends where one side is longer, and by ± where both are alike", () => {
    const lopsided = { value: 0.0098, u95: 0.0195, unit: "mm", low: 0.0083, high: 0.0293 };
    expect(show(lopsided, si).ends).toBe("0.0083 to 0.0293");
    expect(sentence(lopsided, si)).toBe("0.0098 (0.0083 to 0.0293) mm");
    expect(sentence({ ...lopsided, low: 0.0, high: 0.0196 }, si)).toBe("0.010 ± 0.019 mm");
    expect(sentence({ value: 0, u95: 0.1, unit: "mm", low: 0, high: 0.1 }, si)).toBe("0.00 (0.00 to 0.10) mm");
  });
  it("follow the preferred unit", () => {
    expect(sentence({ value: 44.482, u95: 4.4482, unit: "N" }, { ...si, force_unit: "lbf" })).toBe("10.0 ± 1.0 lbf");
  });
  it("are read with comma or point and refused otherwise", () => {
    expect(parseFigure("3,25")).toBe(3.25);
    expect(parseFigure(" -.5 ")).toBe(-0.5);
    for (const bad of ["", "1e3", "12 mm", "1.2.3", "nan"]) expect(parseFigure(bad)).toBeNull();
  });
  it("say turns in eighths and never none", () => {
    expect(turns(0.5)).toBe("½ turn");
    expect(turns(1)).toBe("1 turn");
    expect(turns(0.01)).toBe("⅛ turn");
    expect(eighth(-0.3)).toBe(-0.25);
  });
  it("name the odd one out, and none where all agree", () => {
    expect(oddOne([71.4, 71.0, 71.3, 68.1])).toBe(3);
    expect(oddOne([71.4, 71.0, 71.3, 71.2])).toBeNull();
    expect(oddOne([1, 9])).toBeNull();
  });
  it("say moments as people do", () => {
    const now = new Date("2026-03-10T12:00:00Z");
    expect(ago("2026-03-10T11:30:00Z", now)).toBe("30 minutes ago");
    expect(ago("2026-03-09T12:00:00Z", now)).toBe("yesterday");
  });
});

describe("a day", () => {
  afterEach(() => vi.restoreAllMocks());

  it("is read at its noon, so that it is the same one however far west or east", () => {
    const read: Date[] = [];
    vi.spyOn(Date.prototype, "toLocaleDateString").mockImplementation(function (this: Date) {
      read.push(this);
      return "";
    });
    onDay("2026-05-01");
    dayOf("2026-05-01T03:00:00Z");
    expect([read[0]!.getFullYear(), read[0]!.getMonth(), read[0]!.getDate(), read[0]!.getHours()]).toEqual([
      2026, 4, 1, 12,
    ]);
    // A moment stays the moment that it is.
    expect(read[1]!.toISOString()).toBe("2026-05-01T03:00:00.000Z");
  });
});
