/** Who is signed in, and their preferences, for every view below the sign-in. */
import { createContext, useContext } from "react";
import type { Schemas } from "../api/client";

export type Me = Schemas["Me"];

export const MeContext = createContext<Me | null>(null);

export function useMe(): Me {
  const me = useContext(MeContext);
  if (!me) throw new Error("no one is signed in");
  return me;
}

const ORDER = ["member", "technician", "lead"] as const;

export function atLeast(me: Me, role: Me["role"]): boolean {
  return ORDER.indexOf(me.role) >= ORDER.indexOf(role);
}
