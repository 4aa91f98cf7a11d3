// @vitest-environment happy-dom
/** Data: what can be taken along, and a machine taken in from another workshop. */
import { screen } from "@testing-library/react";
import { describe, expect, it, vi } from "vitest";
import type { Schemas } from "../api/client";
import * as client from "../api/client";
import { handle } from "../tests/hands";
import { Data } from "./Data";

const SHOP = { areas: [{ id: 3, name: "Tar loft" }] } as unknown as Schemas["Workshop"];

describe("taking a machine in", () => {
  it("sends its archive with name and place, and leads to it", async () => {
    const sent: FormData[] = [];
    vi.spyOn(client, "upload").mockImplementation(async (_path, form) => {
      sent.push(form);
      return { printer_id: 12, name: "Hawser" } as never;
    });
    const user = handle(<Data shop={SHOP} />);
    expect(screen.getByRole("link", { name: "All of the workshop" }).getAttribute("href")).toBe("/api/archive");
    const button = screen.getByRole("button", { name: "Take it in" });
    expect(button).toHaveProperty("disabled", true);
    await user.upload(
      document.querySelector<HTMLInputElement>("input[type=file]")!,
      new File(["x"], "bowline.kestov.zip", { type: "application/zip" }),
    );
    await user.type(screen.getByLabelText("Name here"), "Hawser");
    await user.selectOptions(screen.getByLabelText("Where it stands"), "3");
    await user.click(button);
    expect((await screen.findByRole("link", { name: "Hawser" })).getAttribute("href")).toBe("/machines/12");
    expect([sent[0]!.get("name"), sent[0]!.get("area_id")]).toEqual(["Hawser", "3"]);
  });

  it("says why one is refused, and keeps what was chosen", async () => {
    vi.spyOn(client, "upload").mockRejectedValue(new client.Refusal(422, "bad_archive", "This is no archive.", "file"));
    const user = handle(<Data shop={SHOP} />);
    await user.upload(
      document.querySelector<HTMLInputElement>("input[type=file]")!,
      new File(["x"], "a.zip", { type: "application/zip" }),
    );
    await user.click(screen.getByRole("button", { name: "Take it in" }));
    expect((await screen.findByRole("alert")).textContent).toBe("This is no archive.");
    expect(screen.getByText("a.zip")).toBeTruthy();
  });
});
