/** What the pages of minutes and money share: their shape, writing to it, and how amounts are said. */
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { api, got, type Schemas } from "../api/client";

export type Worth = Schemas["WorthOut"];
export type MachineTook = Worth["machines"][number];

export const WORTH = { queryKey: ["worth"], queryFn: () => got(api.GET("/api/service/worth")) };

/** A write that answers with all machines anew. */
export function useWorthWrite<T>(write: (told: T) => Promise<Worth>, done?: () => void) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: write,
    onSuccess: (all) => {
      client.setQueryData(WORTH.queryKey, all);
      done?.();
    },
  });
}

/** Minutes of people as hours: nobody clocked them, so no finer than a tenth. */
export const hoursOf = (minutes: number) => {
  const hours = minutes / 60;
  return hours === 0 ? "0 h" : hours < 10 ? `${hours.toFixed(1)} h` : `${Math.round(hours)} h`;
};

export const minutesOf = (m: MachineTook) => m.rounds + m.measuring + m.cases;

/** An amount that was reckoned, to two figures. */
export const about = (amount: number, money: string) =>
  `about ${amount < 10 ? amount.toFixed(1) : Number(amount.toPrecision(2))} ${money}`.trimEnd();

/** An amount that was told, with its cents where it has any. */
export const exactly = (amount: string | number, money: string) =>
  `${Number(amount).toFixed(Number.isInteger(Number(amount)) ? 0 : 2)} ${money}`.trimEnd();

/** Minutes of people per hundred hours of print; null where too little was printed to say so. */
export const perHundred = (m: MachineTook) =>
  m.printed_hours == null || m.printed_hours < 20 ? null : (100 * minutesOf(m)) / m.printed_hours;
