/** Writes to the workshop itself. */
import { useMutation, useQueryClient } from "@tanstack/react-query";
import type { Schemas } from "../api/client";

type Shop = Schemas["Workshop"];

/** A write to the workshop; its answer is the workshop as it then stands. */
export function useShopWrite<V>(write: (v: V) => Promise<Shop>, done: () => void) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: write,
    onSuccess: (s) => {
      client.setQueryData(["workshop"], s);
      client.invalidateQueries({ queryKey: ["floor"] });
      done();
    },
  });
}
