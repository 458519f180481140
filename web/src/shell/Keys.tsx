import { Dialog } from "radix-ui";
import { useEffect, useState } from "react";
import { toggleTheme } from "./theme";

const KEYS = [
  ["1 … 0", "stages, in their order"],
  ["m", "type the value of the next check"],
  ["Enter", "take the value"],
  ["s", "fold the suspects"],
  ["?", "these keys"],
];

/** Keys and theme, at the foot of the stages. */
export function Keys() {
  const [open, setOpen] = useState(false);
  useEffect(() => {
    function key(e: KeyboardEvent) {
      const typing = e.target instanceof Element && e.target.matches("input, textarea, select");
      if (e.key === "?" && !typing) setOpen(true);
    }
    window.addEventListener("keydown", key);
    return () => window.removeEventListener("keydown", key);
  }, []);
  return (
    <div className="mt-4 flex flex-col items-start px-5 text-[14px] max-md:hidden">
      <button type="button" className="quiet" onClick={toggleTheme}>
        day / night
      </button>
      <Dialog.Root open={open} onOpenChange={setOpen}>
        <Dialog.Trigger className="quiet">keys</Dialog.Trigger>
        <Dialog.Portal>
          <Dialog.Overlay className="fixed inset-0 bg-ink/30" />
          <Dialog.Content
            aria-describedby={undefined}
            className="fixed top-1/4 left-1/2 w-96 -translate-x-1/2 border border-ink bg-sheet p-5"
          >
            <Dialog.Title className="mb-3 font-bold">Keys</Dialog.Title>
            <dl className="grid grid-cols-[5rem_1fr] gap-y-2">
              {KEYS.map(([key, does]) => (
                <div key={key} className="contents">
                  <dt className="num">{key}</dt>
                  <dd>{does}</dd>
                </div>
              ))}
            </dl>
            <Dialog.Close className="plain mt-4">Close</Dialog.Close>
          </Dialog.Content>
        </Dialog.Portal>
      </Dialog.Root>
    </div>
  );
}
