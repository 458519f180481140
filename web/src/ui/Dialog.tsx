import { Dialog as Radix } from "radix-ui";
import type { ReactNode } from "react";

/** Something that comes before all else until it is closed: by its button, Escape or a touch beside it. */
export function Dialog({
  title,
  trigger,
  open,
  setOpen,
  wide = false,
  children,
}: {
  title: string;
  /** What opens it, beside whatever else does. */
  trigger?: ReactNode;
  open: boolean;
  setOpen: (open: boolean) => void;
  wide?: boolean;
  children: ReactNode;
}) {
  return (
    <Radix.Root open={open} onOpenChange={setOpen}>
      {trigger && <Radix.Trigger asChild>{trigger}</Radix.Trigger>}
      <Radix.Portal>
        <Radix.Overlay className="fixed inset-0 z-20 bg-ink/30" />
        <Radix.Content
          aria-describedby={undefined}
          className={`fixed top-24 left-1/2 z-30 max-h-[80vh] max-w-[94vw] -translate-x-1/2 overflow-y-auto border border-ink bg-sheet p-5 ${wide ? "w-[40rem]" : "w-96"}`}
        >
          <Radix.Title className="mb-3 text-[17px] font-bold">{title}</Radix.Title>
          {children}
        </Radix.Content>
      </Radix.Portal>
    </Radix.Root>
  );
}
