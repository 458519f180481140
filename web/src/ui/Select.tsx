import { Select as Radix } from "radix-ui";
import { type ReactNode, useId } from "react";
import { Headed } from "./Headed";
import type { Choice } from "./search";

// Radix keeps the empty value for "nothing chosen"; here it may be a choice of its own.
const put = (id: string) => `=${id}`;

/** One of a few: opens by touch or Space, letters jump, arrows and Enter choose. */
export function Select<Id extends string>({
  label,
  heading,
  value,
  set,
  choices,
  disabled = false,
  why = "",
  className = "field",
}: {
  /** What is chosen, for who cannot see where it stands. */
  label: string;
  /** Stands above it. */
  heading?: ReactNode;
  value: Id;
  set: (id: Id) => void;
  choices: (Choice & { id: Id })[];
  disabled?: boolean;
  /** Why nothing can be chosen now; empty when it can. */
  why?: string;
  className?: string;
}) {
  const chosen = choices.find((c) => c.id === value);
  const id = useId();
  return (
    <Headed heading={heading} of={id}>
      <Radix.Root
        value={put(value)}
        onValueChange={(v) => set(v.slice(1) as Id)}
        disabled={disabled || why !== ""}
      >
        <Radix.Trigger
          id={id}
          aria-label={label}
          className={`flex items-center justify-between gap-2 text-left disabled:opacity-45 ${className}`}
        >
          <span className="min-w-0 truncate">
            <Radix.Value>{chosen?.text ?? ""}</Radix.Value>
          </span>
          <Radix.Icon className="shrink-0 text-faint">▾</Radix.Icon>
        </Radix.Trigger>
        <Radix.Portal>
          <Radix.Content
            position="popper"
            sideOffset={2}
            className="z-40 max-h-(--radix-select-content-available-height) min-w-(--radix-select-trigger-width) border border-ink bg-sheet"
          >
            <Radix.ScrollUpButton className="text-center text-faint">▴</Radix.ScrollUpButton>
            <Radix.Viewport>
              {choices.map((c) => (
                <Radix.Item
                  key={c.id}
                  value={put(c.id)}
                  data-id={c.id}
                  className="flex min-h-11 cursor-pointer items-center gap-2 px-3 outline-none data-[highlighted]:bg-ground data-[state=checked]:font-semibold"
                >
                  {c.sort && <span className="label w-20 shrink-0">{c.sort}</span>}
                  <Radix.ItemText>{c.text}</Radix.ItemText>
                </Radix.Item>
              ))}
            </Radix.Viewport>
            <Radix.ScrollDownButton className="text-center text-faint">▾</Radix.ScrollDownButton>
          </Radix.Content>
        </Radix.Portal>
      </Radix.Root>
      {why && <p className="label">{why}</p>}
    </Headed>
  );
}
