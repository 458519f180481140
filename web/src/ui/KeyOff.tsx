import { useJob } from "../api/job";
import { Button } from "./Button";

/** Says that modules sleep at key 0, with the way out; nothing at any other position. */
export function KeyOff() {
  const { view, act, busy } = useJob();
  if ((view.state.key ?? "0") !== "0") return null;
  return (
    <div className="mt-4 flex items-center gap-4 border-l-4 border-ochre pl-3">
      <span>The key is at 0: modules sleep and will not answer.</span>
      <Button
        disabled={busy !== ""}
        onClick={() => act("state", { state: { ...view.state, key: "15" } }).catch(() => {})}
      >
        Set key 15
      </Button>
    </div>
  );
}
