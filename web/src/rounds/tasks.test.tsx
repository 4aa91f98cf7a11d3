// @vitest-environment happy-dom
/** Tasks of service: where each interval is from, what the rounds tell, and changing it: what cannot be is said at its field. */
import { screen, waitFor, within } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import type { Schemas } from "../api/client";
import { MeContext } from "../session/me";
import { handle, slowServer } from "../tests/hands";
import { everyOf } from "./TaskForm";
import { TasksPage } from "./TasksPage";
import { every } from "./words";

type Task = Schemas["TaskOut"];
const task = (id: string, label: string, more: Partial<Task> = {}): Task => ({
  id,
  label,
  every: { days: 30, hours: 150 },
  came: { days: 30, hours: 150 },
  source: "typical",
  minutes: 8,
  steps: ["Wipe."],
  tools: ["cloth"],
  caution: "Unplugged.",
  trouble: "Grooves.",
  state: "unplugged",
  parts: [],
  off: false,
  own: false,
  changed: [],
  proposed: null,
  ...more,
});
const BELTS = task("belts", "Belts looked at");
const IDLERS = task("idlers", "Idlers spun");

function page(tasks: Task[], role: "lead" | "technician" = "lead") {
  const server = slowServer();
  const hands = handle(
    <MeContext value={{ id: 1, name: "Wen", role, light: "day" } as never}>
      <TasksPage />
    </MeContext>,
    [
      [
        ["service", "tasks", null],
        { tasks, arranged: false, models: [{ id: 7, name: "Dunlin 220" }], kinds: { belt: "Belt" }, stages: ["belts"] },
      ],
    ],
  );
  return { server, hands };
}

describe("how often", () => {
  it("is whichever comes first, in words", () => {
    expect(every({ days: 30, hours: 150, kg: null })).toBe("30 days or 150 h");
    expect(every({ days: 1, kg: 1.5 })).toBe("1 day or 1.5 kg");
  });

  it("is above zero, and by something", () => {
    const typed = { days: "", hours: "", kg: "", km: "" };
    expect(everyOf(typed).wrong).toEqual({ days: "Enter at least one of them." });
    expect(everyOf({ ...typed, hours: "0" }).wrong.hours).toMatch(/above zero/);
    expect(everyOf({ ...typed, kg: "1,5" }).every).toEqual({ days: null, hours: null, kg: 1.5, km: null });
  });
});

describe("tasks of service", () => {
  it("show where each is from, what was changed, and nothing to press for who is not the lead", () => {
    const changed = [{ field: "every", maker: false, why: "They hold.", who: "Ilse", at: new Date().toISOString() }];
    page([BELTS, { ...IDLERS, source: "workshop", every: { days: 60 }, changed }], "technician");
    const rows = screen.getAllByRole("listitem").map((r) => r.textContent);
    expect(rows[0]).toBe("Belts looked atevery 30 days or 150 h, typical");
    expect(rows[1]).toMatch(/every 60 days, the workshop's own.*before every 30 days or 150 h\. Ilse, .*: They hold\./);
    expect(screen.queryByRole("button")).toBeNull();
  });

  it("say what the rounds tell, and the lead takes it", async () => {
    const proposed = {
      every: { days: 45, hours: 220 },
      why: "Of 12 rounds.",
      rounds: 12,
      finds: 0,
      low: 0,
      high: 0.16,
    };
    const { server, hands } = page([{ ...BELTS, proposed }]);
    await hands.click(screen.getByRole("button", { name: "Take it: Belts looked at, every 45 days or 220 h" }));
    await waitFor(() => expect(server.sent).toHaveLength(1));
    expect(server.sent[0]).toMatchObject({ url: "/api/service/tasks/belts/learned", body: { model_id: null } });
  });

  it("are changed by what was typed otherwise, and only that goes out", async () => {
    const { server, hands } = page([BELTS, IDLERS]);
    await hands.click(screen.getByRole("button", { name: "Change it: Belts looked at" }));
    const days = screen.getByLabelText("days");
    await hands.clear(days);
    await hands.type(days, "0");
    await hands.click(screen.getByRole("button", { name: "Keep it so for this workshop" }));
    expect(screen.getByText(/above zero, or leave it empty/)).toBeTruthy();
    expect(server.sent).toHaveLength(0);
    await hands.clear(days);
    await hands.type(days, "45");
    await hands.type(screen.getByLabelText("Why?"), "They hold.");
    await hands.click(screen.getByRole("button", { name: "Keep it so for this workshop" }));
    await waitFor(() => expect(server.sent).toHaveLength(1));
    expect(server.sent[0]).toMatchObject({ url: "/api/service/tasks/belts" });
    const body = server.sent[0]!.body as { mend: Record<string, unknown>; why: string };
    expect(body.why).toBe("They hold.");
    expect(Object.entries(body.mend).filter(([, v]) => v !== null)).toEqual([
      ["every", { days: 45, hours: 150, kg: null, km: null }],
    ]);
  });

  it("are put in another order, and a refusal is shown", async () => {
    const { server, hands } = page([BELTS, IDLERS]);
    await hands.click(screen.getByRole("button", { name: "Put them in another order" }));
    await hands.click(screen.getByRole("button", { name: "Earlier: Idlers spun" }));
    await waitFor(() => expect(server.sent).toHaveLength(1));
    expect(server.sent[0]).toMatchObject({ url: "/api/service/order", body: { order: ["idlers", "belts"] } });
    server.answer({ status: 422, code: "undoes", title: "", detail: "It would undo it.", field: "order" }, 422);
    expect(await screen.findByText("It would undo it.")).toBeTruthy();
  });

  it("can be added with what they are done to", async () => {
    const { server, hands } = page([BELTS]);
    await hands.click(screen.getByRole("button", { name: "Add a task of your own" }));
    const form = within(screen.getByText("A task of your own").closest("form")!);
    await hands.type(form.getByLabelText("Its name"), "Seals greased");
    await hands.type(form.getByLabelText("Steps"), "Take them off.\nGrease.");
    await hands.type(form.getByLabelText("Caution, where it can hurt someone"), "Unplugged.");
    await hands.type(form.getByLabelText("Look for"), "Torn.");
    await hands.type(form.getByLabelText("days"), "90");
    await hands.click(form.getByText("Done to the machine as a whole"));
    await hands.click(form.getByLabelText("Belt"));
    await hands.click(form.getByRole("button", { name: "Add it" }));
    await waitFor(() => expect(server.sent).toHaveLength(1));
    expect(server.sent[0]!.body).toMatchObject({
      parts: ["belt"],
      steps: ["Take them off.", "Grease."],
      model_id: null,
    });
  });
});
