import {
  type InfiniteData,
  useInfiniteQuery,
  useQuery,
  useQueryClient,
} from "@tanstack/react-query";
import { Link, useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import { api, type Jobs as Page, trouble } from "../api/client";
import { Button } from "../ui/Button";
import { TakeIn } from "./TakeIn";
import { toggleTheme } from "./theme";

type Job = Page["jobs"][number];

/** How far a job has come. */
function standing(job: Job) {
  if (job.signed_off) return "signed off";
  if (job.repaired) return "repaired, to prove";
  return job.entries > 1 ? "at work" : "complaint taken";
}

/** The day a job was opened; the hour where that is today. */
function opened(at: string) {
  const when = new Date(at);
  const today = when.toDateString() === new Date().toDateString();
  return today
    ? when.toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit" })
    : when.toLocaleDateString("en-GB", { day: "numeric", month: "short", year: "numeric" });
}

/** The first page: jobs, newest first, and a new one. */
export function Jobs() {
  const [search, setSearch] = useState("");
  const jobs = useInfiniteQuery({
    queryKey: ["jobs", "list", search],
    placeholderData: (before: InfiniteData<Page, number | undefined> | undefined) => before,
    initialPageParam: undefined as number | undefined,
    getNextPageParam: (last) => (last.more ? last.jobs.at(-1)?.id : undefined),
    queryFn: async ({ pageParam: before }): Promise<Page> => {
      const { data, error } = await api.GET("/api/jobs", { params: { query: { search, before } } });
      if (!data) throw new Error(trouble(error));
      return data;
    },
  });
  const list = jobs.data?.pages.flatMap((page) => page.jobs) ?? [];
  const found = jobs.data?.pages[0]?.found ?? 0;
  const vehicles = useQuery({
    queryKey: ["vehicles"],
    queryFn: async () => (await api.GET("/api/vehicles")).data ?? [],
  });
  const name = (id: string) => vehicles.data?.find((v) => v.id === id)?.name ?? id;
  const [error, setError] = useState("");
  const navigate = useNavigate();
  const cache = useQueryClient();
  async function open(vehicle: string) {
    const { data, error } = await api.POST("/api/jobs", {
      body: { vehicle, intake: undefined },
    });
    if (!data) return setError(trouble(error));
    await cache.invalidateQueries({ queryKey: ["jobs"] });
    navigate({ to: "/job/$id/$stage", params: { id: String(data.id), stage: "intake" } });
  }
  return (
    <main className="mx-auto max-w-4xl p-8">
      <header className="flex items-baseline justify-between border-b border-ink pb-3">
        <h1 className="text-2xl font-bold">Chalkeus</h1>
        <Button look="quiet" onClick={toggleTheme}>
          day / night
        </Button>
      </header>
      {jobs.error && <p className="mt-4 text-oxide">{jobs.error.message}</p>}
      {error && (
        <p role="alert" className="mt-4 text-oxide">
          {error}
        </p>
      )}
      <div className="mt-6 mb-2 flex items-baseline gap-4">
        <h2 className="font-bold">Jobs</h2>
        <input
          type="search"
          className="field max-w-sm"
          aria-label="search jobs"
          placeholder="any words: complaint, reference, VIN, repair"
          value={search}
          onChange={(e) => setSearch(e.target.value)}
        />
        <span className="label whitespace-nowrap" role="status">
          {found} {search ? "found" : found === 1 ? "job" : "jobs"}
        </span>
      </div>
      {jobs.isSuccess && list.length === 0 && (
        <p className="text-faint">
          {search
            ? `No job holds all of “${search}”.`
            : "No jobs yet. Open one for a vehicle below."}
        </p>
      )}
      <ul>
        {list.map((job) => (
          <li key={job.id} className="border-b border-rule">
            <Link
              to="/job/$id/$stage"
              params={{ id: String(job.id), stage: job.entries > 1 ? "circuit" : "intake" }}
              className="grid min-h-16 grid-cols-[1fr_auto] items-center gap-x-4 px-2 py-2 hover:bg-sheet sm:grid-cols-[6rem_1fr_auto]"
            >
              <span className="num text-faint">
                job {job.id}
                <span className="label block">{opened(job.opened_at)}</span>
              </span>
              <span className="order-last col-span-2 min-w-0 sm:order-none sm:col-span-1">
                <span className="block text-lg font-semibold">
                  {job.complaint || "No complaint taken yet"}
                </span>
                {job.trouble && <span className="block text-ochre">◇ {job.trouble}</span>}
                <span className="label">
                  {[name(job.vehicle), job.reference].filter(Boolean).join(" · ")}
                  {job.vin && (
                    <>
                      {" · "}
                      <span className="num">{job.vin}</span>
                    </>
                  )}
                </span>
                {job.repaired && <span className="label block">{job.repaired}</span>}
              </span>
              <span className="label text-right">
                <span className="block font-semibold text-ink">{standing(job)}</span>
                {job.entries === 1 ? "1 entry" : `${job.entries} entries`}
                {job.demo ? " · demo" : ""}
              </span>
            </Link>
          </li>
        ))}
      </ul>
      {jobs.hasNextPage && (
        <Button
          className="mt-3"
          disabled={jobs.isFetchingNextPage}
          onClick={() => jobs.fetchNextPage()}
        >
          Older jobs: {found - list.length} more
        </Button>
      )}
      <h2 className="mt-8 mb-2 font-bold">New job</h2>
      <div className="flex flex-wrap gap-3">
        {vehicles.data?.map((vehicle) => (
          <Button
            key={vehicle.id}
            why={vehicle.trouble && `Its file cannot be read: ${vehicle.trouble}`}
            onClick={() => open(vehicle.id)}
          >
            on a {vehicle.name}
          </Button>
        ))}
        <TakeIn />
      </div>
    </main>
  );
}
