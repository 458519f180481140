import { useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import { trouble } from "../api/client";
import { FileButton } from "../ui/FileButton";

/** Takes in a job that was written elsewhere, and opens it. */
export function TakeIn() {
  const [said, setSaid] = useState("");
  const [busy, setBusy] = useState(false);
  const navigate = useNavigate();
  const cache = useQueryClient();
  async function take(file: File) {
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
      <FileButton label="job file" accept=".json" take={take} why={busy ? "Being taken in …" : ""}>
        from a job file
      </FileButton>
      {said && (
        <p role="alert" className="w-full text-oxide">
          {said}
        </p>
      )}
    </>
  );
}
