import { Link } from "@tanstack/react-router";
import { useJob } from "../../api/job";
import { useFollowing } from "../../follow/useFollowing";

/** The procedure that is followed just now, whoever began it, one press away. */
export function Followed() {
  const { view } = useJob();
  const f = useFollowing(view.id).data;
  if (!f || f.over) return null;
  const stage = f.procedure.stages[f.stage];
  return (
    <p className="mt-4 flex flex-wrap items-center gap-x-4 border-y-2 border-copper py-1">
      <span className="font-semibold">{f.procedure.name}</span>
      <span>
        stage <span className="num">{Math.min(f.stage + 1, f.procedure.stages.length)}</span> of{" "}
        <span className="num">{f.procedure.stages.length}</span>: {stage?.name ?? "done"}
      </span>
      <Link
        to="/job/$id/follow"
        params={{ id: String(view.id) }}
        className="plain ml-auto inline-flex items-center"
      >
        Follow it
      </Link>
    </p>
  );
}
