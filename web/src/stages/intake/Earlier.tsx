import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { api } from "../../api/client";

/** Earlier jobs of the same vehicle. */
export function Earlier({ job, vin }: { job: number; vin: string }) {
  const jobs = useQuery({
    queryKey: ["jobs", "of", vin],
    enabled: vin !== "",
    queryFn: async () =>
      (await api.GET("/api/jobs", { params: { query: { vin, most: 20 } } })).data?.jobs ?? [],
  });
  const same = (jobs.data ?? []).filter((j) => j.id !== job);
  if (same.length === 0) return null;
  return (
    <section aria-label="Earlier jobs" className="mt-5 border-l-4 border-ochre pl-3">
      <h2 className="font-bold">This vehicle was here before</h2>
      <ul>
        {same.map((j) => (
          <li key={j.id}>
            <Link
              to="/job/$id/$stage"
              params={{ id: String(j.id), stage: "report" }}
              className="flex min-h-11 items-center gap-3"
            >
              <span className="num text-faint">{j.opened_at.slice(0, 10)}</span>
              <span className="underline">{j.complaint || "no complaint taken"}</span>
              <span className="label">{j.repaired || (j.signed_off ? "signed off" : "open")}</span>
            </Link>
          </li>
        ))}
      </ul>
    </section>
  );
}
