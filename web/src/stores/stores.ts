/** What the pages of the stores share: what they know, and writing to it. */
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { api, got, type Schemas } from "../api/client";
import { dayOf } from "../kit/figures";

export type Stores = Schemas["StoresOut"];
export type Drawer = Stores["drawers"][number];
export type PartType = Stores["types"][number];

export const STORES = { queryKey: ["stores"], queryFn: () => got(api.GET("/api/stores")) };

/** A write that answers with all of the stores. */
export function useStoresWrite<T>(write: (told: T) => Promise<Stores>, done?: () => void) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: write,
    onSuccess: (all) => {
      client.setQueryData(STORES.queryKey, all);
      client.invalidateQueries({ queryKey: ["drawer"] });
      done?.();
    },
  });
}

/** A day, as one says it of what is to be done by then. */
export function byDay(iso: string, now = new Date()): string {
  return new Date(iso).getTime() <= now.getTime() ? "today" : `by ${dayOf(iso)}`;
}

/** How many will be wanted, in words: from the fewest to the most that is likely. */
export const wanted = (d: Drawer) => (d.low === d.high ? String(d.low) : `${d.low} to ${d.high}`);
