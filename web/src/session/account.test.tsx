/** One's own account, and a new password by a code: what is sent, and what is said. */
// @vitest-environment happy-dom
import { screen } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import { handle, slowServer } from "../tests/hands";
import { MyAccount } from "./MyAccount";
import { SignIn } from "./SignIn";

const HERE = { id: 1, at: "2026-11-20T10:00:00Z", device: "Chrome on Linux", address: "10.0.0.5", here: true };
const THERE = { ...HERE, id: 2, device: "Firefox on Android", here: false };

describe("one's own account", () => {
  it("changes the password and says what follows", async () => {
    const server = slowServer();
    const user = handle(<MyAccount />, [[["my-sessions"], [HERE]]]);
    await user.type(screen.getByLabelText("The present one"), "a-long-wet-rope");
    await user.type(screen.getByLabelText("A new one"), "a-drier-wet-rope");
    await user.click(screen.getByRole("button", { name: "Change it" }));
    expect(server.sent[0]).toMatchObject({
      url: "/api/me/password",
      body: { present: "a-long-wet-rope", new: "a-drier-wet-rope" },
    });
    server.answer({ id: 1 });
    expect((await screen.findByText(/Everywhere else you are signed out/)).getAttribute("role")).toBe("status");
    expect((screen.getByLabelText("The present one") as HTMLInputElement).value).toBe("");
  });

  it("says what is wrong at its field, and keeps what was typed", async () => {
    const server = slowServer();
    const user = handle(<MyAccount />, [[["my-sessions"], [HERE]]]);
    await user.type(screen.getByLabelText("The present one"), "a-long-wet-rope");
    await user.type(screen.getByLabelText("A new one"), "short");
    await user.click(screen.getByRole("button", { name: "Change it" }));
    server.answer({ code: "out_of_range", detail: "This password is too short.", field: "new" }, 422);
    expect((await screen.findByRole("alert")).textContent).toBe("This password is too short.");
    expect((screen.getByLabelText("A new one") as HTMLInputElement).value).toBe("short");
  });

  it("signs out elsewhere, not here", async () => {
    const server = slowServer();
    const user = handle(<MyAccount />, [[["my-sessions"], [HERE, THERE]]]);
    expect(screen.getAllByRole("button", { name: /Sign out/ })).toHaveLength(1);
    await user.click(screen.getByRole("button", { name: "Sign out on Firefox on Android, 10.0.0.5" }));
    expect(server.sent[0]!.url).toBe("/api/me/sessions/2");
    server.answer([HERE]);
    await expect.poll(() => screen.queryByText("Firefox on Android")).toBeNull();
  });
});

describe("a forgotten password", () => {
  it("is set anew by the code of the lead, under the name typed above", async () => {
    const server = slowServer();
    const user = handle(
      <SignIn
        state={{ me: null, first_account: false, demo: false, open_reports: false, practice: false, beside: "" }}
      />,
    );
    await user.type(screen.getByLabelText("Name to sign in with"), "tech");
    await user.click(screen.getByText("Password forgotten?"));
    await user.type(screen.getByLabelText("Code"), "abc");
    await user.type(screen.getByLabelText("A new password"), "a-drier-wet-rope");
    await user.click(screen.getByRole("button", { name: "Set it and sign in" }));
    expect(server.sent[0]).toMatchObject({
      url: "/api/session/by-code",
      body: { username: "tech", code: "abc", new: "a-drier-wet-rope" },
    });
    server.answer({ code: "wrong_code", detail: "The code is not right.", field: "code" }, 422);
    expect((await screen.findByRole("alert")).textContent).toBe("The code is not right.");
  });
});
