/** One's own menu: light, units, and the way out. */
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { DropdownMenu } from "radix-ui";
import { Link } from "react-router";
import { api, got, Refusal, type Schemas } from "../api/client";
import { atLeast, type Me } from "./me";

export function MyMenu({ me, open = false }: { me: Me; open?: boolean }) {
  const client = useQueryClient();
  const change = useMutation({
    mutationFn: (body: Schemas["Preferences"]) => got(api.PATCH("/api/me", { body })),
    onSuccess: (m) => client.setQueryData(["session"], (s: Schemas["SessionState"]) => ({ ...s, me: m })),
  });
  const leave = useMutation({
    mutationFn: () => got(api.DELETE("/api/session")),
    onSettled: (s, error) => {
      if (!error || (error instanceof Refusal && error.status === 401)) {
        // Nothing that one person saw is left for the next; the session itself stays, so that the page follows it.
        client.removeQueries({ predicate: (q) => q.queryKey[0] !== "session" });
        if (s) client.setQueryData(["session"], s);
        else client.invalidateQueries({ queryKey: ["session"] });
      }
    },
  });
  const item = "flex min-h-11 cursor-pointer items-center gap-2 px-4 outline-none data-[highlighted]:bg-well";
  const choice = <K extends keyof Schemas["Preferences"]>(
    label: string,
    key: K,
    options: [NonNullable<Schemas["Preferences"][K]>, string][],
  ) => (
    <DropdownMenu.RadioGroup value={String(me[key as keyof Me])} onValueChange={(v) => change.mutate({ [key]: v })}>
      <DropdownMenu.Label className="px-4 pt-2 text-[14px] text-ink2">{label}</DropdownMenu.Label>
      {options.map(([value, words]) => (
        <DropdownMenu.RadioItem
          key={String(value)}
          value={String(value)}
          className={item}
          onSelect={(e) => e.preventDefault()}
        >
          <span className="w-5 font-bold" aria-hidden="true">
            {me[key as keyof Me] === value ? "•" : ""}
          </span>
          {words}
        </DropdownMenu.RadioItem>
      ))}
    </DropdownMenu.RadioGroup>
  );
  return (
    <DropdownMenu.Root defaultOpen={open}>
      <DropdownMenu.Trigger className="min-h-11 px-2 text-ink2">
        {me.name}, {me.role} <span aria-hidden="true">▾</span>
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          align="end"
          sideOffset={4}
          className="z-20 min-w-60 rounded-[3px] border border-line bg-sheet py-1 text-ink"
        >
          {choice("Light", "light", [
            ["day", "Daylight"],
            ["dim", "Dim room"],
            ["system", "As the device"],
          ])}
          {choice("Lengths", "length_unit", [
            ["mm", "mm"],
            ["in", "inches"],
          ])}
          {choice("Forces", "force_unit", [
            ["N", "newtons"],
            ["lbf", "pounds force"],
          ])}
          <DropdownMenu.Separator className="my-1 border-t border-hair" />
          {atLeast(me, "technician") ? (
            <DropdownMenu.Item asChild>
              <Link to="/scripting" className={`${item} no-underline`}>
                For those who script
              </Link>
            </DropdownMenu.Item>
          ) : null}
          <DropdownMenu.Item asChild>
            <Link to="/me" className={`${item} no-underline`}>
              Password and devices
            </Link>
          </DropdownMenu.Item>
          <DropdownMenu.Item className={item} onSelect={() => leave.mutate()}>
            Sign out
          </DropdownMenu.Item>
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
