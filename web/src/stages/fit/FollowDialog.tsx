import { useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import { useJob } from "../../api/job";
import { aimed, Stages } from "../../follow/Stages";
import { useProcedures } from "../../follow/useFollowing";
import { Button } from "../../ui/Button";
import { Dialog } from "../../ui/Dialog";

/** What a procedure asks for before it is begun; then it is followed on a page of its own. */
export function FollowDialog({ procedure }: { procedure: string }) {
  const { view, act, busy } = useJob();
  const [open, setOpen] = useState(false);
  const navigate = useNavigate();
  const cache = useQueryClient();
  const all = useProcedures(view.id, view.lists);
  const of = all.data?.find((p) => p.id === procedure);
  const begin = () => {
    setOpen(false);
    act("follow", { procedure }).then(
      () => {
        cache.removeQueries({ queryKey: ["following", view.id] });
        navigate({ to: "/job/$id/follow", params: { id: String(view.id) } });
      },
      () => {},
    );
  };
  return (
    <Dialog
      title={of?.name ?? "…"}
      open={open}
      setOpen={setOpen}
      wide
      trigger={
        <Button disabled={busy !== ""}>{busy === "follow" ? "Beginning …" : "Follow …"}</Button>
      }
    >
      {all.error && <p className="text-oxide">{all.error.message}</p>}
      {of && (
        <>
          <Stages of={of} />
          {of.throughout.length > 0 && (
            <p className="mt-2 text-[14px] text-faint">All the time: {aimed(of.throughout)}</p>
          )}
          <p className="label mt-3">
            Every value is read from the modules and kept. It ends by itself where its conditions
            break; a second person can look on from any window of this job.
          </p>
          <Button look="act" className="mt-3 w-full" disabled={busy !== ""} onClick={begin}>
            Begin
          </Button>
        </>
      )}
    </Dialog>
  );
}
