/** Workshop and practice: which of the two this is, and where the other is. */

/** The server says so with the page itself, before anything is drawn. */
export const practising = () => globalThis.document?.documentElement?.dataset.practice !== undefined;

/** The address of the other of the two, workshop or practice: a port of this host, or an address of its own; null where there is none. */
export function besideAt(beside: string): string | null {
  if (!beside) return null;
  return /^\d+$/.test(beside) ? `${location.protocol}//${location.hostname}:${beside}` : beside;
}
