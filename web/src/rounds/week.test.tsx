// @vitest-environment happy-dom
/** The week: rounds in people's hours, what did not fit and why; put by hand, let go again; hours and calendars, refused at their field. */
import { screen, waitFor, within } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import type { Schemas } from "../api/client";
import { MeContext } from "../session/me";
import { handle, slowServer } from "../tests/hands";
import { LetterPage } from "./LetterPage";
import { WeekPage } from "./WeekPage";
import { mondayOf } from "./words";

type Week = Schemas["WeekPlan"];
const monday = mondayOf(new Date());
const at = (days: number, time: string) => {
  const d = new Date(`${monday}T${time}:00`);
  d.setDate(d.getDate() + days);
  return d.toISOString();
};
const round = (printer_id: number, printer: string, from: string, to: string, more = {}) => ({
  printer_id,
  printer,
  area: "Long walk",
  user_id: 2,
  name: "Wen",
  begins: at(1, from),
  ends: at(1, to),
  tasks: 7,
  fixed: false,
  clashes: false,
  ...more,
});
const WEEK: Week = {
  monday,
  sittings: [
    {
      user_id: 2,
      name: "Wen",
      begins: at(1, "09:00"),
      ends: at(1, "12:00"),
      fetching: 10,
      fetched: ["hex keys", "light oil"],
    },
    { user_id: 3, name: "Oda", begins: at(2, "16:00"), ends: at(2, "19:00"), fetching: 0, fetched: [] },
  ],
  rounds: [round(1, "Bowline", "09:10", "10:40"), round(4, "Halyard", "10:40", "11:40", { fixed: true })],
  left: [
    {
      printer_id: 6,
      printer: "Windlass",
      minutes: 95,
      tasks: 9,
      why: "The hours are full with what presses more.",
      would: "40 minutes more on Tuesday (Wen).",
    },
  ],
  bookings: [],
  planned_at: new Date().toISOString(),
  by: "Ilse",
  share: 0.96,
  people: [
    { user_id: 2, name: "Wen", hours: [{ weekday: 1, begins: "09:00:00", ends: "12:00:00" }] },
    { user_id: 3, name: "Oda", hours: [{ weekday: 2, begins: "16:00:00", ends: "19:00:00" }] },
    { user_id: 1, name: "Ilse", hours: [] },
  ],
  calendars: [
    {
      id: 5,
      name: "Rope-walk",
      printer: "",
      bookings: 12,
      of_none: 2,
      at: at(0, "08:00"),
      by: "Ilse",
      address: "",
      said: "",
    },
  ],
};

function page(role: "technician" | "lead" = "technician", week = WEEK) {
  const server = slowServer();
  const hands = handle(
    <MeContext value={{ id: 2, name: "Wen", role, light: "day" } as never}>
      <WeekPage />
    </MeContext>,
    [[["service", "week", monday], week]],
  );
  return { server, hands };
}

describe("a week", () => {
  it("begins on its Monday", () => {
    expect(mondayOf(new Date(2026, 2, 1))).toBe("2026-02-23");
    expect(mondayOf(new Date(2026, 2, 2))).toBe("2026-03-02");
    expect(mondayOf(new Date(2026, 2, 8), 1)).toBe("2026-03-09");
  });

  it("shows who does which round when, how full the hours are, and how good the plan is", () => {
    page();
    expect(screen.getByText("150 of 180 minutes, and 10 to fetch what they take")).toBeTruthy();
    expect(screen.getByText("Take along: hex keys, light oil.")).toBeTruthy();
    expect(screen.getByText("nothing planned")).toBeTruthy();
    const rows = screen.getAllByRole("listitem").map((r) => r.textContent);
    expect(rows[0]).toMatch(/^09:1090 minBowline Long walk, 7 tasks/);
    expect(rows[1]).toContain("put there by hand");
    expect(screen.getByText(/by Ilse; no plan can be worth more than 5 % above it\./)).toBeTruthy();
  });

  it("says what did not fit, why, and with what it would", () => {
    page();
    expect(screen.getByRole("region", { name: "Did not fit" }).textContent).toContain(
      "Windlass 9 tasks, 95 minThe hours are full with what presses more. It would fit with 40 minutes more on Tuesday (Wen).",
    );
  });

  it("is planned again by a key", async () => {
    const { server, hands } = page();
    await hands.keyboard("1");
    await waitFor(() => expect(server.sent).toHaveLength(1));
    expect(server.sent[0]).toMatchObject({ url: "/api/service/week", body: { monday } });
  });

  it("takes a round that is put by hand, and lets one go again", async () => {
    const { server, hands } = page();
    await hands.click(screen.getByRole("button", { name: "Put it by hand: Windlass" }));
    await hands.selectOptions(screen.getByLabelText("To whom"), "Oda");
    await hands.click(screen.getByRole("button", { name: "Put it there" }));
    await waitFor(() => expect(server.sent).toHaveLength(1));
    expect(server.sent[0]).toMatchObject({
      url: "/api/service/week/move",
      body: { monday, printer_id: 6, user_id: 3, begins: `${monday}T09:00:00` },
    });
    server.answer({ code: "out_of_range", detail: "Choose a time in this week.", field: "begins" }, 422);
    expect((await screen.findAllByText("Choose a time in this week.")).length).toBeGreaterThan(0);
    await hands.click(screen.getByRole("button", { name: "Let it be planned: Halyard" }));
    await waitFor(() => expect(server.sent).toHaveLength(2));
    expect(server.sent[1]).toMatchObject({ url: "/api/service/week/free", body: { monday, printer_id: 4 } });
  });

  it("says where nobody is there, and leads on", async () => {
    const { hands } = page("technician", { ...WEEK, sittings: [], rounds: [] });
    expect(screen.getByText(/Nobody has hours for service in what is left of this week/)).toBeTruthy();
    expect(screen.queryByRole("region", { name: "Did not fit" })).toBeNull();
    await hands.click(screen.getByRole("button", { name: "Look at next week" }));
  });
});

describe("hours and calendars", () => {
  it("one's own hours are changed by oneself, what is wrong said at the row", async () => {
    const { server, hands } = page();
    expect(screen.getAllByRole("button", { name: /Change the hours/ })).toHaveLength(1);
    await hands.click(screen.getByRole("button", { name: "Change the hours of Wen" }));
    await hands.click(screen.getByRole("button", { name: "One more" }));
    await hands.click(screen.getByRole("button", { name: "Keep it so" }));
    await waitFor(() => expect(server.sent).toHaveLength(1));
    expect(server.sent[0]).toMatchObject({
      url: "/api/service/hours",
      body: {
        user_id: 2,
        hours: [
          { weekday: 1, begins: "09:00", ends: "12:00" },
          { weekday: 1, begins: "09:00", ends: "12:00" },
        ],
      },
    });
    server.answer(
      { status: 422, code: "overlap", title: "", detail: "They overlap with the first ones.", field: "hours.1.begins" },
      422,
    );
    const second = within(screen.getByRole("group", { name: "Time 2" }));
    expect((await second.findByRole("alert")).textContent).toBe("They overlap with the first ones.");
  });

  it("only the lead takes calendars and forgets them", async () => {
    page();
    expect(screen.getByText(/12 bookings; 2 more name no machine/)).toBeTruthy();
    expect(screen.queryByText("Take a calendar")).toBeNull();
    expect(screen.queryByRole("button", { name: "Forget Rope-walk" })).toBeNull();
  });

  it("a calendar that cannot be taken is refused with what and where", async () => {
    const { server, hands } = page("lead");
    await hands.click(screen.getByText("Take a calendar"));
    await hands.upload(screen.getByLabelText("Choose the file"), new File(["x"], "courses.ics"));
    await waitFor(() => expect(server.sent[0]?.url).toBe("/api/calendars"));
    server.answer({ code: "bad_event", detail: "Event 2 (“Course”) ends before it begins.", field: "file" }, 422);
    expect(await screen.findByText("Event 2 (“Course”) ends before it begins.")).toBeTruthy();
  });

  it("a calendar by its address is fetched by a worker, and why it was not is said", async () => {
    const { server, hands } = page("lead");
    await hands.click(screen.getByText("Take a calendar"));
    await hands.type(screen.getByLabelText("Its name"), "Rope-walk");
    await hands.type(screen.getByLabelText("Or its address"), "http://10.0.0.2/walk.ics");
    await hands.click(screen.getByRole("button", { name: "Fetch it" }));
    await waitFor(() => expect(server.sent).toHaveLength(1));
    expect(server.sent[0]).toMatchObject({
      url: "/api/calendars/address",
      body: { name: "Rope-walk", address: "http://10.0.0.2/walk.ics" },
    });
    const work = {
      id: 9,
      kind: "calendar",
      words: "",
      state: "waiting",
      done: 0,
      total: 0,
      at: at(0, "08:00"),
      said: "",
    };
    server.answer(work);
    await waitFor(() => expect(server.sent[1]?.url).toBe("/api/works/9"));
    server.answer({ ...work, state: "failed", said: "There it answers with 404." });
    expect((await screen.findAllByText("There it answers with 404.")).length).toBeGreaterThan(0);
  });

  it("says where a calendar is fetched from, and why it was not the last time", () => {
    const far = { ...WEEK.calendars[0]!, address: "http://10.0.0.2/walk.ics", said: "There it answers with 500." };
    page("technician", { ...WEEK, calendars: [far] });
    expect(screen.getByText("http://10.0.0.2/walk.ics")).toBeTruthy();
    expect(screen.getByText(/Not the last time: There it answers with 500/)).toBeTruthy();
  });

  it("a private address is shown once it is made", async () => {
    const { server, hands } = page();
    await hands.click(screen.getByRole("button", { name: "Make a private address" }));
    await waitFor(() => expect(server.sent).toHaveLength(1));
    server.answer({ address: "http://workshop/api/feeds/abc.ics" });
    expect(await screen.findByText("http://workshop/api/feeds/abc.ics")).toBeTruthy();
  });
});

describe("the week's letter", () => {
  it("has its parts in words, and says where there is nothing", () => {
    const parts = [
      { title: "Done", lines: ["Bowline: 3 tasks by Wen. All fine."], empty: "Nothing was written down." },
      { title: "To order", lines: [], empty: "Nothing." },
    ];
    handle(<LetterPage />, [
      [["service", "letter", monday], { monday, parts }],
      [["service", "letter-mail"], { is_set: true, address: "", last: null }],
    ]);
    expect(screen.getByRole("region", { name: "Done" }).textContent).toBe("DoneBowline: 3 tasks by Wen. All fine.");
    expect(screen.getByRole("region", { name: "To order" }).textContent).toBe("To orderNothing.");
    expect(screen.getByRole("link", { name: "As PDF" }).getAttribute("href")).toBe(
      `/api/service/letter.pdf?day=${monday}`,
    );
  });

  const letter = (byMail: Schemas["ByMail"]) => {
    const server = slowServer();
    const hands = handle(<LetterPage />, [
      [["service", "letter", monday], { monday, parts: [] }],
      [["service", "letter-mail"], byMail],
    ]);
    return { server, hands };
  };

  it("comes by e-mail to whoever asks for it, an address that is none refused at its field", async () => {
    const { server, hands } = letter({ is_set: true, address: "", last: null });
    await hands.click(screen.getByRole("button", { name: "Send it to me" }));
    await hands.type(screen.getByLabelText("Where it goes"), "wen@rope.walk");
    await hands.click(screen.getByRole("button", { name: "Every Monday" }));
    await waitFor(() => expect(server.sent).toHaveLength(1));
    expect(server.sent[0]).toMatchObject({ url: "/api/service/letter/mail", body: { address: "wen@rope.walk" } });
    server.answer({ code: "out_of_range", detail: "This is no e-mail address.", field: "address" }, 422);
    expect((await screen.findAllByText("This is no e-mail address.")).length).toBeGreaterThan(0);
  });

  it("says how the last one went, and sends one now", async () => {
    const last = { at: at(0, "06:00"), to: "wen@rope.walk", sent_at: null, next_at: null, said: "", given_up: true };
    const { server, hands } = letter({ is_set: true, address: "wen@rope.walk", last: { ...last, said: "Full." } });
    expect(screen.getByText("The last one, to wen@rope.walk, was given up. Full.")).toBeTruthy();
    await hands.click(screen.getByRole("button", { name: "Send this week's now" }));
    await waitFor(() => expect(server.sent[0]?.url).toBe("/api/service/letter/send"));
    server.answer({
      is_set: true,
      address: "wen@rope.walk",
      last: { ...last, given_up: false, next_at: at(0, "07:00") },
    });
    expect(await screen.findByText("One is on its way to wen@rope.walk.")).toBeTruthy();
  });

  it("says where no mail server is set", () => {
    letter({ is_set: false, address: "", last: null });
    expect(screen.getByText(/No mail server is set here/)).toBeTruthy();
    expect(screen.queryByRole("button", { name: "Send it to me" })).toBeNull();
  });
});
