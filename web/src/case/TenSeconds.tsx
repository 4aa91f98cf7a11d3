/** Ten seconds of a machine's sound, recorded here or loaded: kept with the report, and held against its healthy sound. */
import { useEffect, useRef, useState } from "react";
import { canRecord, type Live, Recorder } from "../bench/recorder";
import { fileAsWav } from "../bench/wav";
import { Button, ErrorNote, FilePick } from "../kit/bits";

export type Sound = { wav: Blob; source: "microphone" | "lossy" | "file" };

const SECONDS = 10;

export function TenSeconds({ sound, onSound }: { sound: Sound | null; onSound: (s: Sound | null) => void }) {
  const [live, setLive] = useState<Live | null>(null);
  const [error, setError] = useState<unknown>(null);
  const recorder = useRef<Recorder | null>(null);
  const over = (live?.seconds ?? 0) >= SECONDS;
  useEffect(() => () => void recorder.current?.abandon(), []);
  useEffect(() => {
    const r = recorder.current;
    if (!over || !r) return;
    recorder.current = null;
    void r.stop().then(({ wav }) => {
      setLive(null);
      onSound({ wav, source: "microphone" });
    });
  }, [over, onSound]);
  const start = async () => {
    setError(null);
    try {
      recorder.current = await Recorder.start(setLive, false);
      setLive({ seconds: 0, level: 0, low: [], high: [], heard: null, dropped: false });
    } catch (e) {
      setError(e);
    }
  };
  const load = async (file: File) => {
    setError(null);
    try {
      const read = await fileAsWav(file);
      onSound({ wav: read.wav, source: read.lossy ? "lossy" : "file" });
    } catch (e) {
      setError(e);
    }
  };
  return (
    <fieldset className="grid gap-2">
      <legend className="text-[15px] font-semibold">Ten seconds of its sound</legend>
      {sound ? (
        <div className="flex flex-wrap items-center gap-3">
          <Played wav={sound.wav} />
          <Button className="min-h-11 !px-3 text-[16px]" onClick={() => onSound(null)}>
            Not this
          </Button>
        </div>
      ) : live ? (
        <p role="status" className="font-mono text-[21px]">
          {Math.max(0, Math.ceil(SECONDS - live.seconds))} s
          <meter className="ml-3 w-40 align-middle" min={0} max={1} value={live.level} aria-label="Level" />
        </p>
      ) : (
        <div className="flex flex-wrap gap-3">
          {canRecord() ? <Button onClick={start}>Record while it works</Button> : null}
          <FilePick label="Load a recording" accept="audio/*,.wav" onFile={load} />
        </div>
      )}
      <p className="text-[15px] text-ink2">
        A forearm from the front, hands out. It is compared with how the machine sounds when all is well.
      </p>
      <ErrorNote error={error} />
    </fieldset>
  );
}

/** What was recorded, to be heard before it is sent. */
function Played({ wav }: { wav: Blob }) {
  const [url, setUrl] = useState<string>();
  useEffect(() => {
    const made = URL.createObjectURL(wav);
    setUrl(made);
    return () => URL.revokeObjectURL(made);
  }, [wav]);
  // biome-ignore lint/a11y/useMediaCaption: the sound of a machine has no words
  return <audio controls src={url} aria-label="What was recorded" />;
}
