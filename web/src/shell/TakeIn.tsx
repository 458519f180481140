import { useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import { useRef, useState } from "react";
import { trouble } from "../api/client";
import { Button } from "../ui/Button";

/** Takes in a job that was written elsewhere, and opens it. */
export function TakeIn() {
  const field = useRef<HTMLInputElement>(null);
  const [said, setSaid] = useState("");
  const [busy, setBusy] = useState(false);
  const navigate = useNavigate();
  const cache = useQueryClient();
  async function take(file: File | undefined) {
    if (!file) return;
    setBusy(true);
    setSaid("");
    try {
      const answer = await fetch("/api/job-files", { method: "POST", body: file });
      const told = await answer.json();
      if (!answer.ok) return setSaid(trouble(told));
      await cache.invalidateQueries({ queryKey: ["jobs"] });
      navigate({ to: "/job/$id/$stage", params: { id: String(told.id), stage: "report" } });
    } catch {
      setSaid("The program does not answer; is it still running?");
    } finally {
      setBusy(false);
    }
  }
  return (
    <>
      <Button
        look="quiet"
        why={busy ? "Being taken in …" : ""}
        onClick={() => field.current?.click()}
      >
        from a job file
      </Button>
      <input
        ref={field}
        type="file"
        className="hidden"
        tabIndex={-1}
        aria-label="job file"
        accept=".json"
        onChange={(e) => {
          take(e.target.files?.[0]);
          e.target.value = "";
        }}
      />
      {said && (
        <p role="alert" className="w-full text-oxide">
          {said}
        </p>
      )}
    </>
  );
}
