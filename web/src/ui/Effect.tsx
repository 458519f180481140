import type { OperatingState, Strength } from "../api/client";
import { useJob, useLive } from "../api/job";
import { Button } from "./Button";

const CHOICES: [Strength, string][] = [
  ["normal", "normal"],
  ["weak", "weak"],
  ["none", "nothing"],
];

/** An effect as seen: the technician's own eyes, or the demo's. */
export function Effect({ part, state }: { part: string; state: OperatingState }) {
  const { view, act, busy } = useJob();
  const live = useLive(view.id);
  return (
    <div>
      {live.data?.hands && (
        <Button
          look="act"
          className="mb-2 w-full"
          disabled={busy !== ""}
          onClick={() => act("look", { part, state }).catch(() => {})}
        >
          {busy === "look" ? "Looking …" : "Do it and look"}
        </Button>
      )}
      <div className="flex gap-2">
        {CHOICES.map(([strength, word]) => (
          <Button
            key={strength}
            className="flex-1 px-1"
            disabled={busy !== ""}
            onClick={() => act("found", { kind: "effect", part, strength, state }).catch(() => {})}
          >
            {word}
          </Button>
        ))}
      </div>
    </div>
  );
}
