import { useState } from "react";
import { useJob } from "../../api/job";
import { Button } from "../../ui/Button";

/** Signs the job off; what is not proven is named, and takes a reason where it was to be. */
export function SignOff() {
  const { view, act, busy } = useJob();
  const [reason, setReason] = useState("");
  const open = view.unproven;
  const wants = view.wants_reason;
  return (
    <form
      aria-label="sign off"
      className="mt-5 max-w-3xl"
      onSubmit={(e) => {
        e.preventDefault();
        act("sign-off", { reason }).catch(() => {});
      }}
    >
      {open.length > 0 && (
        <>
          <h2 className="font-semibold">Not proven, and named in the sign-off</h2>
          <ul aria-label="not proven" className="text-[14px] text-ochre">
            {open.map((text) => (
              <li key={text}>◇ {text}</li>
            ))}
          </ul>
        </>
      )}
      {wants && (
        <input
          className="field mt-2"
          aria-label="why it is signed off all the same"
          placeholder="why it is signed off all the same"
          value={reason}
          onChange={(e) => setReason(e.target.value)}
        />
      )}
      <Button
        type="submit"
        look="act"
        className="mt-3"
        disabled={busy !== ""}
        why={wants && reason.trim() === "" ? "Not everything is proven: say why first." : ""}
      >
        {wants ? "Sign off all the same" : "Sign off"}
      </Button>
    </form>
  );
}
