/** What the kit draws, as text: the strip's words and marks, the sketch by kinematics, conditions told without colour. */
import { renderToStaticMarkup } from "react-dom/server";
import { describe, expect, it } from "vitest";
import { Refusal, refusal } from "../api/client";
import { atLeast, type Me, MeContext } from "../session/me";
import { Caution, ErrorNote, Field, fieldError } from "./bits";
import { ConditionMark, FitnessWords } from "./Condition";
import { type Description, layout } from "./motion";
import { Sketch } from "./Sketch";
import { Strip } from "./Strip";

const me: Me = {
  id: 1,
  username: "tech",
  name: "Wen",
  role: "technician",
  length_unit: "mm",
  force_unit: "N",
  light: "day",
  hears_at: "",
};
const draw = (node: React.ReactNode, as: Me = me) => renderToStaticMarkup(<MeContext value={as}>{node}</MeContext>);

const belt = { kind: "belt" } as never;
const MACHINES: Record<string, Description> = {
  bed_slinger: { kinematics: "bed_slinger", transmissions: { x: belt, y: belt } },
  fixed_bed: { kinematics: "fixed_bed", transmissions: { x: belt, y1: belt, y2: belt } },
  corexy: { kinematics: "corexy", transmissions: { a: belt, b: belt } },
  delta: { kinematics: "delta", transmissions: { t1: belt, t2: belt, t3: belt } },
  belt_bed: { kinematics: "belt_bed", transmissions: { x: belt, y: belt, z: belt } },
};

describe("the strip", () => {
  const reading = { value: 12.4, u95: 0.6, unit: "N" };
  it("says all that it shows", () => {
    const html = draw(
      <Strip label="Tension" quantity={reading} low={20} high={40} before={{ value: 9.1, u95: 0.5, unit: "N" }} />,
    );
    expect(html).toContain("Tension: 12.40 ± 0.60 N, limits 20 to 40 N, before 9.10 ± 0.50 N");
    expect(html).toContain(">before<");
  });
  it("shows nothing measured as that", () => {
    expect(draw(<Strip label="Tension" quantity={null} low={20} high={40} />)).toContain("Tension: not measured");
  });
  it("speaks the unit that is preferred", () => {
    const html = draw(
      <Strip label="Tension" quantity={{ value: 44.48, u95: 2, unit: "N" }} low={22.24} high={88.96} />,
      {
        ...me,
        force_unit: "lbf",
      },
    );
    expect(html).toContain("limits 5 to 20 lbf");
  });
  it("keeps every mark on the paper", () => {
    for (const value of [0.1, 12, 90]) {
      const html = draw(<Strip label="T" quantity={{ value, u95: 3, unit: "N" }} low={20} high={40} width={400} />);
      for (const [, x] of html.matchAll(/M([\d.]+) /g)) expect(Number(x)).toBeLessThanOrEqual(400);
    }
  });
});

describe("the sketch", () => {
  it("has every belt of every kinematics, each with its free span", () => {
    for (const d of Object.values(MACHINES)) {
      const drawn = layout(d);
      expect(Object.keys(drawn.belts).sort()).toEqual(Object.keys(d.transmissions).sort());
      for (const b of Object.values(drawn.belts)) {
        expect(b.loop.length).toBeGreaterThan(2);
        expect(b.span[0]).not.toEqual(b.span[1]);
        for (const [x, y] of [...b.loop, ...b.pulleys, b.label]) {
          expect(x).toBeGreaterThan(-20);
          expect(x).toBeLessThan(340);
          expect(y).toBeGreaterThan(-20);
          expect(y).toBeLessThan(340);
        }
      }
    }
  });
  it("draws crossed belts apart, not one over the other", () => {
    const { a, b } = layout(MACHINES.corexy!).belts as Record<string, { span: unknown }>;
    expect(a!.span).not.toEqual(b!.span);
  });
  it("names what is lit and what to do there", () => {
    const html = draw(<Sketch description={MACHINES.corexy!} lit="a" note="pluck the left run" />);
    expect(html).toContain("belt A lit: pluck the left run");
  });
  it("shows conditions on the belts", () => {
    const html = draw(<Sketch description={MACHINES.bed_slinger!} conditions={{ x: "worn", y: "sound" }} />);
    expect(html).toContain("X");
    expect(html).toContain("Y");
  });
});

describe("condition and fitness", () => {
  it("are told by word and by a shape of their own", () => {
    const shapes = new Set<string>();
    for (const c of ["sound", "watch", "out_of_adjustment", "worn", "failed", "not_known"] as const) {
      const html = draw(<ConditionMark condition={c} />);
      expect(html.replace(/<[^>]*>/g, "").length).toBeGreaterThan(3);
      shapes.add(html.match(/<svg.*<\/svg>/s)![0].replace(/color:[^"]*/g, ""));
    }
    expect(shapes.size).toBe(6);
  });
  it("give the reason", () => {
    expect(draw(<FitnessWords fitness="rough_only" reason="belt A is worn" />)).toContain("belt A is worn");
  });
});

describe("errors and fields", () => {
  it("put the server's words at the field they belong to", () => {
    const error = refusal({ code: "out_of_range", detail: "Too long.", field: "context.span_mm" }, 422);
    expect(error).toBeInstanceOf(Refusal);
    expect(fieldError(error, "span_mm")).toBe("Too long.");
    expect(fieldError(error, "width_mm")).toBeUndefined();
    expect(refusal(null, 500).message).toContain("tell the lead");
  });
  it("describe a control by its hint or its error", () => {
    const html = draw(
      <Field label="Free span" hint="Pulley to clamp." error="Enter a figure.">
        {(id, note) => <input id={id} aria-describedby={note} />}
      </Field>,
    );
    expect(html).toContain("Enter a figure.");
    expect(html).not.toContain("Pulley to clamp.");
    expect(html.match(/for="([^"]*)"/)![1]).toBe(html.match(/<input id="([^"]*)"/)![1]);
  });
  it("are announced, and cautions stand out by word", () => {
    expect(draw(<ErrorNote error={new Error("It is full.")} />)).toContain('role="alert"');
    expect(draw(<ErrorNote error={null} />)).toBe("");
    expect(draw(<Caution>Hot nozzle.</Caution>)).toContain("Take care.");
  });
});

it("roles hold each the one below", () => {
  expect(atLeast(me, "member")).toBe(true);
  expect(atLeast(me, "technician")).toBe(true);
  expect(atLeast(me, "lead")).toBe(false);
});
