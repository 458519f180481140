import { useState } from "react";
import type { View } from "../../api/client";
import { useJob } from "../../api/job";
import { Button } from "../../ui/Button";
import { Ticks } from "../../ui/Ticks";

/** One deliberate act before codes are cleared, of all modules or of some. */
export function Clearing({ scan, close }: { scan: NonNullable<View["scan"]>; close: () => void }) {
  const { act, busy } = useJob();
  const withCodes = scan.modules.filter((m) => m.codes.length > 0);
  const [left, setLeft] = useState<string[]>([]);
  const chosen = withCodes.filter((m) => !left.includes(m.id));
  const some = left.length > 0;
  const unread = chosen.filter((m) => m.codes.some((c) => c.unread !== ""));
  return (
    <div className="mt-4 border border-copper p-4">
      <p>
        The scan is kept as entry {scan.number}. After clearing, a code that does not return means
        nothing until its test has run: that is followed here.
      </p>
      <div className="mt-2">
        <Ticks
          of={withCodes.map((m) => ({ id: m.id, name: m.name, count: m.codes.length }))}
          left={left}
          set={setLeft}
        />
      </div>
      {unread.length > 0 && (
        <p className="mt-2 border-l-4 border-ochre pl-3">
          Freeze-frame data of {unread.map((m) => m.name).join(", ")} could not be read and would be
          lost. Scan again first, if it matters.
        </p>
      )}
      <div className="mt-2 flex gap-2">
        <Button
          look="act"
          disabled={busy !== ""}
          why={some && chosen.length === 0 ? "Choose at least one module." : ""}
          onClick={() =>
            act("clear", {
              modules: some ? chosen.map((m) => m.id) : [],
              anyway: unread.length > 0,
            }).then(close, close)
          }
        >
          {some ? `Clear these ${chosen.length}` : "Clear them"}
          {unread.length > 0 && " anyway"}
        </Button>
        <Button onClick={close}>Keep them</Button>
      </div>
    </div>
  );
}
