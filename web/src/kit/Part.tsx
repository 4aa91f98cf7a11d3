/** Parts of the page that are fetched when wanted: waited for while the workshop cannot be reached, never the page's end. */
import { Component, type ReactNode } from "react";
import { Button } from "./bits";

const WAIT_MS = 2000;
/** About five minutes; after that somebody has to say when to try again. */
const TRIES = 150;

/** Whether the workshop answers: then a part that does not come is gone, since Kestov was renewed meanwhile. */
const reached = () =>
  globalThis.fetch("/api/session").then(
    (answer) => answer.ok,
    () => false,
  );

/** A browser may keep in mind that a part did not come, and not ask again by the same name: by another one it does. */
function again<T>(fetch: () => Promise<T>, failed: unknown, time: number): Promise<T> {
  const named = /https?:\/\/\S+?\.js/.exec(failed instanceof Error ? failed.message : "")?.[0];
  return named ? import(/* @vite-ignore */ `${named}?again=${time}`) : fetch();
}

/** Fetch a part; while the workshop cannot be reached, try again. Throws where it answers and has the part no more. */
export async function patient<T>(fetch: () => Promise<T>, there = reached, wait = WAIT_MS): Promise<T> {
  let failed: unknown;
  for (let i = 1; ; i++) {
    try {
      return await (i === 1 ? fetch() : again(fetch, failed, i));
    } catch (error) {
      failed = error;
      if (i >= TRIES || (i > 1 && (await there()))) throw error;
      await new Promise((go) => setTimeout(go, wait));
    }
  }
}

type Props = { children: ReactNode; else?: ReactNode; at?: string };

/**
 * What could not be fetched or drawn is said in its own place, or ``else`` stands there; the rest of the page goes on.
 * Elsewhere (``at``) it is tried anew.
 */
export class Part extends Component<Props, { broken: boolean }> {
  state = { broken: false };

  componentDidUpdate(before: Props) {
    if (this.state.broken && before.at !== this.props.at) this.setState({ broken: false });
  }

  static getDerivedStateFromError() {
    return { broken: true };
  }

  render() {
    if (!this.state.broken) return this.props.children;
    return (
      this.props.else ?? (
        <div className="sheet grid max-w-xl gap-3" role="alert">
          <h1>This page cannot be shown</h1>
          <p>Kestov may have been renewed since it was opened here. Readings and recordings are kept.</p>
          <Button next onClick={() => location.reload()} className="justify-self-start">
            Open it again
          </Button>
        </div>
      )
    );
  }
}
