// @vitest-environment happy-dom
/** Without an account: the wall in words, a report from a label, joining by a link; and the technician who looks. */
import { screen, waitFor } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import type { Schemas } from "../api/client";
import { handle, slowServer } from "../tests/hands";
import { Inviting, Openness } from "../workshop/Inviting";
import { Join } from "./Join";
import { OpenReport } from "./OpenReport";
import { ToldSheet } from "./ToldSheet";
import { Wall } from "./Wall";

const WALL: Schemas["WallArea"][] = [
  {
    name: "Long walk",
    machines: [
      { name: "Bowline", fitness: "rough_only", reason: "Belt A is slack" },
      { name: "Marline", fitness: "fit", reason: "" },
    ],
  },
  { name: "Tar loft", machines: [{ name: "Carrick", fitness: "tagged_out", reason: "It smells" }] },
];

describe("the wall", () => {
  it("says which machine for what, and why not, in the order of what one can do", () => {
    slowServer();
    handle(<Wall />, [[["wall"], WALL]]);
    const titles = screen.getAllByRole("heading", { level: 2 }).map((h) => h.textContent);
    expect(titles).toEqual(["For a fine part", "For a rough one only", "Out of use"]);
    expect(screen.getByRole("region", { name: "For a rough one only" }).textContent).toContain(
      "Bowline Belt A is slack",
    );
    expect(screen.getByRole("status").textContent).toMatch(/^As of/);
  });

  it("says where there is none for a fine part", () => {
    slowServer();
    handle(<Wall />, [[["wall"], WALL.slice(1)]]);
    expect(screen.getByText("No machine for a fine part today")).toBeTruthy();
  });
});

const FORM = {
  printer: "Bowline",
  area: "Long walk",
  findings: [
    {
      id: "echoes",
      label: "Echoes",
      group: "print",
      kind: "seen",
      either: [],
      qualifies: false,
      words: "",
      drawing: [],
    },
    {
      id: "smoke",
      label: "Burnt smell",
      group: "danger",
      kind: "danger",
      either: [],
      qualifies: false,
      words: "",
      drawing: [],
    },
  ],
} as unknown as Schemas["OpenForm"];
const here = { path: "/report/1", route: "/report/:id" };

describe("a report without an account", () => {
  it("is told with a name, and says that somebody looks first", async () => {
    const server = slowServer();
    const hands = handle(<OpenReport />, [[["open", 1], FORM]], here);
    const tell = screen.getByRole("button", { name: "Tell it" });
    expect((tell as HTMLButtonElement).disabled).toBe(true);
    await hands.click(screen.getByRole("button", { name: "Burnt smell" }));
    expect(screen.getByText(/Pull the plug/)).toBeTruthy();
    await hands.type(screen.getByLabelText("Your name"), "Suna");
    await hands.click(tell);
    await waitFor(() => expect(server.sent).toHaveLength(1));
    expect(server.sent[0]).toMatchObject({
      url: "/api/open/printers/1",
      body: { finding: "smoke", name: "Suna", since: "", words: "" },
    });
    server.answer({ code: "too_many", detail: "There have been many reports.", field: null }, 429);
    expect(await screen.findByText("There have been many reports.")).toBeTruthy();
    await hands.click(tell);
    await waitFor(() => expect(server.sent).toHaveLength(2));
    server.answer({ printer: "Bowline" });
    expect(await screen.findByText(/A technician looks at Bowline/)).toBeTruthy();
    expect(screen.getByText(/Pull the plug/)).toBeTruthy();
  });

  it("counts, or does not and why, when a technician has looked", async () => {
    const server = slowServer();
    const told = {
      id: 4,
      printer_id: 1,
      printer: "Bowline",
      name: "Suna",
      label: "Echoes",
      danger: false,
      words: "On lids.",
      since: "",
      at: new Date().toISOString(),
    };
    const hands = handle(<ToldSheet />, [[["open-reports"], [told]]]);
    await hands.click(screen.getByRole("button", { name: "It does not count: Bowline, Echoes" }));
    await hands.type(screen.getByLabelText("Why not"), "Another machine.");
    await hands.click(screen.getByRole("button", { name: "It does not count" }));
    await waitFor(() => expect(server.sent).toHaveLength(1));
    expect(server.sent[0]).toMatchObject({
      url: "/api/open-reports/4",
      body: { counts: false, why_not: "Another machine." },
    });
    server.answer({ waiting: [], case: null });
    await waitFor(() => expect(screen.queryByText("Bowline")).toBeNull());
  });
});

describe("joining", () => {
  const at = { path: "/join/abc", route: "/join/:secret" };

  it("asks who one is where the link is for whoever has it, and says what is refused at its field", async () => {
    const server = slowServer();
    const hands = handle(<Join />, [[["join", "abc"], { role: "member", username: "", name: "" }]], at);
    await hands.type(screen.getByLabelText("Your name"), "Suna");
    await hands.type(screen.getByLabelText("Name to sign in with"), "suna");
    await hands.type(screen.getByLabelText("A password"), "short");
    await hands.click(screen.getByRole("button", { name: "Make my account" }));
    await waitFor(() => expect(server.sent[0]?.url).toBe("/api/join/abc"));
    server.answer({ code: "out_of_range", detail: "This password is too short.", field: "password" }, 422);
    expect((await screen.findAllByText("This password is too short.")).length).toBe(1);
  });

  it("asks for a password alone where the link is for somebody", () => {
    slowServer();
    handle(<Join />, [[["join", "abc"], { role: "technician", username: "jory", name: "Jory Pell" }]], at);
    expect(screen.getByRole("heading", { level: 1 }).textContent).toBe("Welcome, Jory Pell");
    expect(screen.queryByLabelText("Your name")).toBeNull();
  });
});

describe("inviting", () => {
  const link = { id: 7, role: "member", username: "", name: "", left: 1, until: new Date().toISOString(), by: "Ilse" };

  it("shows a link once it is made, and takes one back", async () => {
    const server = slowServer();
    const hands = handle(<Inviting />, [[["invitations"], [link]]]);
    await hands.click(screen.getByRole("button", { name: "Make a link" }));
    await waitFor(() =>
      expect(server.sent[0]).toMatchObject({ url: "/api/invitations", body: { role: "member", uses: 1 } }),
    );
    server.answer({ ...link, id: 8, address: "http://workshop/join/xyz" });
    expect(await screen.findByText("http://workshop/join/xyz")).toBeTruthy();
  });

  it("shows what is wrong with a list", async () => {
    const server = slowServer();
    const hands = handle(<Inviting />, [[["invitations"], []]]);
    await hands.click(screen.getByText("Many at once, from a list"));
    await hands.upload(screen.getByLabelText("Choose the list"), new File(["x"], "people.csv"));
    await waitFor(() => expect(server.sent[0]?.url).toBe("/api/invitations/list"));
    server.answer({ code: "bad_row", detail: "Line 3: “suna” stands here twice.", field: "file" }, 422);
    expect(await screen.findByText("Line 3: “suna” stands here twice.")).toBeTruthy();
  });

  it("switches on what needs no account, one by one", async () => {
    const server = slowServer();
    const hands = handle(<Openness />, [[["openness"], { wall: false, reports: true }]]);
    await hands.click(screen.getByRole("checkbox", { name: /A page for a screen on the wall/ }));
    await waitFor(() =>
      expect(server.sent[0]).toMatchObject({ url: "/api/openness", body: { wall: true, reports: true } }),
    );
  });
});
