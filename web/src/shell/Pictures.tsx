import { useState } from "react";
import { Refused, WINDOW } from "../api/client";
import { useJob } from "../api/job";
import { unique } from "../api/unique";
import { FileButton } from "../ui/FileButton";

/** Takes a picture in, of an entry or of the job: on a phone with its camera. */
export function AddPicture({ of, text = "" }: { of?: number; text?: string }) {
  const { view } = useJob();
  const [busy, setBusy] = useState(false);
  const [said, setSaid] = useState("");
  async function take(file: File) {
    setBusy(true);
    setSaid("");
    const query = new URLSearchParams({ text, ...(of ? { of: String(of) } : {}) });
    try {
      const headers = { ...WINDOW, "idempotency-key": unique() };
      const answer = await fetch(`/api/jobs/${view.id}/pictures?${query}`, {
        method: "POST",
        headers,
        body: file,
      });
      if (!answer.ok) throw new Refused(await answer.json());
    } catch (e) {
      setSaid(e instanceof Refused ? e.message : "It was not kept: the program does not answer.");
    } finally {
      setBusy(false);
    }
  }
  return (
    <>
      <FileButton
        label={of ? `picture of entry ${of}` : "picture"}
        accept="image/jpeg,image/png,image/heic,image/heif,.heic,.heif"
        camera
        take={take}
        why={busy ? "A picture is being kept …" : ""}
      >
        {of ? "picture" : "Picture"}
      </FileButton>
      {said && (
        <p role="alert" className="text-[14px] text-oxide">
          {said}
        </p>
      )}
    </>
  );
}

/** The pictures of an entry, small; pressed they open whole. */
export function Pictures({ numbers }: { numbers: number[] }) {
  const { view } = useJob();
  if (numbers.length === 0) return null;
  return (
    <span className="mt-1 flex flex-wrap gap-2">
      {numbers.map((n) => {
        const at = `/api/jobs/${view.id}/pictures/${n}`;
        const text = view.pictures.find((p) => p.number === n)?.text || `picture ${n}`;
        return (
          <a key={n} href={at} target="_blank" rel="noreferrer">
            <img src={at} alt={text} className="h-16 border border-rule" />
          </a>
        );
      })}
    </span>
  );
}
