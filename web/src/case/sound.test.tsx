// @vitest-environment happy-dom
/** Ten seconds of sound with a report: loaded, heard, taken back; and what is new in it, on its case. */
import { screen } from "@testing-library/react";
import { useState } from "react";
import { describe, expect, it, vi } from "vitest";
import { wavBlob } from "../bench/wav";
import { handle } from "../tests/hands";
import { type Sound, TenSeconds } from "./TenSeconds";

function Form({ heard }: { heard: (s: Sound | null) => void }) {
  const [sound, setSound] = useState<Sound | null>(null);
  return (
    <TenSeconds
      sound={sound}
      onSound={(s) => {
        setSound(s);
        heard(s);
      }}
    />
  );
}

const wav = () => new File([wavBlob(new Int16Array(16000), 16000)], "sound.wav", { type: "audio/wav" });

describe("ten seconds", () => {
  it("are loaded where there is no microphone, can be heard before they are sent, and taken back", async () => {
    vi.stubGlobal("isSecureContext", false);
    vi.spyOn(URL, "createObjectURL").mockReturnValue("blob:here");
    const heard: (Sound | null)[] = [];
    const user = handle(<Form heard={(s) => heard.push(s)} />);
    expect(screen.queryByRole("button", { name: "Record while it works" })).toBeNull();
    await user.upload(document.querySelector<HTMLInputElement>("input[type=file]")!, wav());
    expect(await screen.findByLabelText("What was recorded")).toBeTruthy();
    expect(heard[0]).toMatchObject({ source: "file" });
    await user.click(screen.getByRole("button", { name: "Not this" }));
    expect(heard[1]).toBeNull();
    expect(screen.queryByLabelText("What was recorded")).toBeNull();
  });
});
