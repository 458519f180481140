import { DropdownMenu as Radix } from "radix-ui";
import type { ReactNode } from "react";

/** What a menu offers. */
export interface Offer {
  text: string;
  does: () => void;
  /** Why it cannot be done now; empty when it can. */
  why?: string;
}

/** A few things to do that need no place of their own: opens by touch, arrows and Enter choose. */
export function Menu({ trigger, offers }: { trigger: ReactNode; offers: Offer[] }) {
  return (
    <Radix.Root modal={false}>
      <Radix.Trigger asChild>{trigger}</Radix.Trigger>
      <Radix.Portal>
        <Radix.Content
          sideOffset={2}
          align="start"
          collisionPadding={8}
          className="z-40 max-w-72 min-w-44 border border-ink bg-sheet"
        >
          {offers.map(({ text, does, why = "" }) => (
            <Radix.Item
              key={text}
              disabled={why !== ""}
              onSelect={does}
              className="flex min-h-11 flex-col justify-center px-4 outline-none data-[highlighted]:bg-paper"
            >
              <span className={why ? "text-faint" : ""}>{text}</span>
              {why && <span className="text-[13px] text-faint">{why}</span>}
            </Radix.Item>
          ))}
        </Radix.Content>
      </Radix.Portal>
    </Radix.Root>
  );
}
