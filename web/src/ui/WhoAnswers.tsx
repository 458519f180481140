import type { OperatingState } from "../api/client";
import { useJob } from "../api/job";
import { Button } from "./Button";

/** Asks every module whether it answers, in a state that was brought about. */
export function WhoAnswers({ state, text }: { state: OperatingState; text?: string }) {
  const { act, busy } = useJob();
  return (
    <Button
      look="act"
      className="w-full"
      disabled={busy !== ""}
      onClick={() => act("who-answers", { state }).catch(() => {})}
    >
      {busy === "who-answers" ? "Asking every module …" : (text ?? "Ask who answers")}
    </Button>
  );
}
