/** One key for one intent. */
import { beforeEach, describe, expect, it, vi } from "vitest";
import { answered, api, got, intentKey } from "./client";

beforeEach(() => {
  vi.stubGlobal("document", { cookie: "csrftoken=abc" });
});

describe("a write", () => {
  it("keeps its key until it is answered, and not for ever", () => {
    const first = intentKey("POST /turns half a turn", 1000);
    expect(intentKey("POST /turns half a turn", 2000)).toBe(first);
    expect(intentKey("POST /turns a whole turn", 2000)).not.toBe(first);
    expect(intentKey("POST /turns half a turn", 1000 + 121_000)).not.toBe(first);
    const again = intentKey("POST /turns half a turn", 200_000);
    answered("POST /turns half a turn");
    expect(intentKey("POST /turns half a turn", 200_001)).not.toBe(again);
  });

  it("clicked twice, or tried again after a lost answer, is sent with one key; meant again, with another", async () => {
    const keys: (string | null)[] = [];
    let lost = true;
    vi.stubGlobal("fetch", async (r: Request) => {
      keys.push(r.headers.get("Idempotency-Key"));
      if (lost) throw new TypeError("the network has dropped");
      return new Response("{}", { status: 200, headers: { "Content-Type": "application/json" } });
    });
    vi.stubGlobal("location", { origin: "http://here" });
    const take = () =>
      got(
        api.POST("/api/cases/{case_id}/take", {
          baseUrl: "http://here",
          params: { path: { case_id: 3 } },
          fetch: globalThis.fetch,
        }),
      );
    await expect(Promise.all([take(), take()])).rejects.toThrow("cannot be reached");
    lost = false;
    await take();
    await take();
    expect(keys[0]).toBe(keys[1]);
    expect(keys[2]).toBe(keys[0]);
    expect(keys[3]).not.toBe(keys[0]);
  });
});
