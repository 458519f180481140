import { Tabs as Radix } from "radix-ui";
import type { ReactNode } from "react";
import { Button } from "./Button";

/** One of several panels; arrows go from tab to tab. Where it folds, nothing of them is shown when folded. */
export function Tabs<I extends string>({
  label,
  value,
  set,
  tabs,
  fold,
}: {
  label: string;
  /** The tab shown; empty while folded. */
  value: I | "";
  set: (id: I) => void;
  tabs: { id: I; text: string; body: ReactNode }[];
  /** Folds it; without, it does not fold. */
  fold?: () => void;
}) {
  return (
    <Radix.Root value={value} onValueChange={(id) => set(id as I)}>
      <div className="flex items-center px-5">
        <Radix.List aria-label={label} className="flex gap-1">
          {tabs.map((t) => (
            <Radix.Trigger
              key={t.id}
              value={t.id}
              className="min-h-9 px-3 text-[14px] text-faint data-[state=active]:border-b-2 data-[state=active]:border-ink data-[state=active]:font-semibold data-[state=active]:text-ink"
            >
              {t.text}
            </Radix.Trigger>
          ))}
        </Radix.List>
        {fold && value && (
          <Button look="quiet" className="ml-auto min-h-9 text-[13px]" onClick={fold}>
            fold
          </Button>
        )}
      </div>
      {tabs.map((t) => (
        <Radix.Content key={t.id} value={t.id}>
          {t.body}
        </Radix.Content>
      ))}
    </Radix.Root>
  );
}
