/** What the diagnosis knows, fetched once: findings in plain words, faults with remedies, checks, events. */
import { useQuery } from "@tanstack/react-query";
import { api, got, type Schemas } from "../api/client";

export function useFindings() {
  return useQuery({
    queryKey: ["findings"],
    queryFn: () => got(api.GET("/api/findings")),
    staleTime: Number.POSITIVE_INFINITY,
  });
}

export function useKnowledge() {
  return useQuery({
    queryKey: ["knowledge"],
    queryFn: () => got(api.GET("/api/knowledge")),
    staleTime: Number.POSITIVE_INFINITY,
  });
}

/** Where one meets a finding; the first five are what anybody can say who only stands before the machine. */
export const GROUPS = [
  ["danger", "Danger"],
  ["print", "On the print"],
  ["sound", "To hear"],
  ["machine", "What the machine does"],
  ["circumstance", "How it was printed"],
  ["hand", "By hand"],
  ["look", "On the machine"],
  ["measured", "Measured"],
  ["swap", "After a swap"],
] as const;
export const MET = GROUPS.slice(0, 5);

/** Echoes are asked by the wall they stand on: which axis rings follows from it, and is said. */
export const WALLS = { x: "Runs left to right (X)", y: "Runs front to back (Y)" } as const;

/** Whether all the letters typed stand in a finding's name or its other words. */
export function fits(f: Schemas["FindingOut"], typed: string): boolean {
  const words = `${f.label} ${f.words}`.toLowerCase();
  return typed
    .toLowerCase()
    .split(/\s+/)
    .every((t) => words.includes(t));
}
