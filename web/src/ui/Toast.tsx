import { Toast as Radix } from "radix-ui";
import type { ReactNode } from "react";
import { Button } from "./Button";

/** How long it stays unless one points at it or reaches it, milliseconds. */
const STAYS = 8000;

/** A word about what has just been done, with one thing that can be done about it. It goes by itself. */
export function Toast({
  open,
  close,
  children,
  act,
}: {
  open: boolean;
  close: () => void;
  children: ReactNode;
  act: { text: string; does: () => void };
}) {
  return (
    <Radix.Provider duration={STAYS} swipeDirection="right">
      <Radix.Root
        open={open}
        onOpenChange={(stays) => !stays && close()}
        // What lies under it stays within reach; only what it offers can be pressed.
        className="pointer-events-none! flex items-center gap-4 border border-ink bg-sheet px-4"
      >
        <Radix.Description className="min-w-0 truncate text-[14px]">{children}</Radix.Description>
        <Radix.Action asChild altText={act.text} onClick={act.does}>
          <Button look="quiet" className="pointer-events-auto shrink-0">
            {act.text}
          </Button>
        </Radix.Action>
      </Radix.Root>
      <Radix.Viewport className="no-print pointer-events-none! fixed right-2 bottom-1.5 z-20 max-w-[min(26rem,94vw)]" />
    </Radix.Provider>
  );
}
