/** What the diagnosis knows, fetched once: findings in plain words, faults with remedies, checks, events. */
import { useQuery } from "@tanstack/react-query";
import { api, got } from "../api/client";

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
