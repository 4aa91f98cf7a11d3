/** A procedure's own drawing: what its page shows beside what every page has. One file a procedure in `drawings/`. */
import type { FC } from "react";
import type { Schemas } from "../api/client";
import type { Row } from "../kit/ReadingsField";
import type { Page, Taking } from "./useTaking";

export type Capture = Schemas["CaptureOut"];
export type Found = Capture["found"];
export type Bench = Schemas["BenchOut"];
export type Shown = { capture: Capture; bench: Bench; query: string };
/** What a reading is of, where a program of moves gives the order; in words for who reads it. */
export type Planned = { row: Row; words: string };

/** ``simulated``: the machine is one, with simulated instruments; ``open``: it is taken this way and no other. */
export type Also = {
  page: Page;
  taking: Taking;
  simulated: boolean;
  open: boolean;
  onOpen: (open: boolean) => void;
};

export type Drawing = {
  /** The answer's heading, where the verdict alone says too little. */
  title?: (found: Found) => string | undefined;
  /** Whether figures would mislead here. */
  silent?: (capture: Capture) => boolean;
  /** Under figures and advice. */
  Result?: FC<Shown>;
  /** A wide pane beside the answer. */
  Beside?: FC<Shown>;
  /** Before anything is measured. */
  Before?: FC<{ bench: Bench; place: string; query: string }>;
  /** Another way of taking it, beside a file and an instrument. */
  Also?: FC<Also>;
  /** While readings come in. */
  Live?: FC<{ rows: Row[] }>;
  /** What each reading is of, by the moves that are run. */
  plan?: (moves: Record<string, number>) => Planned[];
  sketch?: (place: string) => { note?: string; wall?: "x" | "y" };
  /** The page opens with the newest capture instead of a new one. */
  opensWithLast?: boolean;
  /** What another go that keeps the readings is called. */
  goesOn?: string;
};

const files = import.meta.glob<Drawing>("./drawings/*.tsx", { eager: true });

/** The drawing of a procedure; nothing of its own where it has none. */
export function drawingOf(procedure: string): Drawing {
  return files[`./drawings/${procedure}.tsx`] ?? {};
}
