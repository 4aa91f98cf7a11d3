/** The program of moves to run while one measures: what it is told, and the file to take along. */
import { TextField } from "../kit/bits";
import { type Asked, standing, type Texts } from "./Fields";
import { movesOf } from "./useTaking";

type Props = {
  procedure: string;
  axis: string;
  program: Asked[];
  texts: Texts;
  onText: (name: string, text: string) => void;
  /** How they run. */
  words: string;
  /** The readings follow the moves: then what they are told stands open. */
  open: boolean;
};

export function Moves({ procedure, axis, program, texts, onText, words, open }: Props) {
  const moves = Object.entries(movesOf(program, texts)).map(([k, v]) => [k, String(v)]);
  const href = `/api/programs/${procedure}.gcode?${new URLSearchParams({ axis, ...Object.fromEntries(moves) })}`;
  const fields = program.map((f) => (
    <TextField
      key={f.name}
      label={f.unit ? `${f.title}, ${f.unit}` : f.title}
      hint={f.hint}
      figure
      value={standing(f, texts)}
      onText={(typed) => onText(f.name, typed)}
    />
  ));
  if (open)
    return (
      <div className="grid gap-3 border-t border-hair pt-3 sm:grid-cols-4">
        {fields}
        <p className="sm:col-span-full">
          {words}{" "}
          <a href={href} download>
            The moves as G-code
          </a>
        </p>
      </div>
    );
  return (
    <details className="border-y border-hair py-2">
      <summary className="min-h-11 cursor-pointer py-2 font-semibold">The moves as G-code</summary>
      <div className="grid gap-3 py-2 sm:grid-cols-4">{fields}</div>
      <p>
        {words} Inside the axis less a margin.{" "}
        <a href={href} download>
          Take the moves along
        </a>
      </p>
    </details>
  );
}
