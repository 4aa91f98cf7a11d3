/** A description in the making: single values put at their path, or taken out again. */
export type Path = (string | number)[];
export type Told = Record<string, unknown>;
type Node = Record<string | number, unknown>;

export const nameOf = (path: Path) => path.join(".");

/** The same description with a value at a path; undefined takes it out. What is given stays as it was. */
export function withValue(told: Told, path: Path, value: unknown): Told {
  const out = structuredClone(told);
  let node = out as Node;
  path.slice(0, -1).forEach((key, i) => {
    if (node[key] === undefined || node[key] === null) node[key] = typeof path[i + 1] === "number" ? [] : {};
    node = node[key] as Node;
  });
  const last = path[path.length - 1]!;
  if (value === undefined) {
    if (Array.isArray(node)) node.splice(Number(last), 1);
    else delete node[last];
  } else node[last] = value;
  return out;
}

/** What stands at a path; undefined where nothing does. */
export function valueAt(told: Told, path: Path): unknown {
  return path.reduce<unknown>((node, key) => (node as Node | undefined | null)?.[key], told);
}
