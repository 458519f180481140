import { useQuery } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import { useEffect, useState } from "react";
import { api } from "../api/client";
import { useJob, useSubjects } from "../api/job";
import { SUBJECT_KINDS } from "../stages/circuit/SubjectField";
import { Button } from "../ui/Button";
import { Combobox } from "../ui/Combobox";
import { Dialog } from "../ui/Dialog";
import { typedIn } from "./typed";

interface Found {
  id: string;
  text: string;
  sort: string;
  /** Goes there. */
  go: () => void;
}

/** Everything of this job and vehicle that has a name, and the other jobs. */
function useEverything(): Found[] {
  const { view } = useJob();
  const navigate = useNavigate();
  const subjects = useSubjects(view.id);
  const jobs = useQuery({
    queryKey: ["jobs", "list", ""],
    queryFn: async () => (await api.GET("/api/jobs", { params: { query: { search: "" } } })).data,
  });
  const id = String(view.id);
  const stage = (to: string, search = {}) =>
    navigate({ to: "/job/$id/$stage", params: { id, stage: to }, search });
  const stages = view.stages.map((s) => ({
    id: `stage:${s.id}`,
    text: s.name,
    sort: "stage",
    go: () => stage(s.id),
  }));
  const sheets = (subjects.data ?? []).map((s) => ({
    id: s.id,
    text: s.name,
    sort: SUBJECT_KINDS[s.id.split(":")[0] ?? ""] ?? "",
    go: () => stage("circuit", { about: s.id }),
  }));
  const cavities = view.points
    .filter((p) => p.id.includes("."))
    .map((p) => ({
      id: `point:${p.id}`,
      text: p.name,
      sort: "cavity",
      go: () => stage("circuit", { about: `terminal:${p.id.split(":")[0]}`, at: p.id }),
    }));
  const others = (jobs.data?.jobs ?? []).map((j) => ({
    id: `job:${j.id}`,
    text: `${j.complaint || "no complaint yet"} · ${j.vehicle} ${j.vin}`,
    sort: "job",
    go: () =>
      navigate({
        to: "/job/$id/$stage",
        params: { id: String(j.id), stage: "intake" },
        search: {},
      }),
  }));
  return [...stages, ...sheets, ...cavities, ...others];
}

/** Its field, there only while it is open: the list is long. */
function Everything({ close }: { close: () => void }) {
  const everything = useEverything();
  return (
    <>
      <Combobox
        label="find anything"
        className="field text-[17px]"
        hint="part, cavity, colour, code, module, stage, job"
        value=""
        choices={everything}
        set={(id) => {
          close();
          everything.find((f) => f.id === id)?.go();
        }}
      />
      <p className="label mt-3">Any words of its name, in any order. Enter takes the first.</p>
    </>
  );
}

/** One field that finds anything by any word: a cavity, colour, connector, code, module, stage or job. */
export function Find() {
  const [open, setOpen] = useState(false);
  useEffect(() => {
    function key(e: KeyboardEvent) {
      if (e.key !== "/" || typedIn(e)) return;
      setOpen(true);
      e.preventDefault();
    }
    window.addEventListener("keydown", key);
    return () => window.removeEventListener("keydown", key);
  }, []);
  return (
    <Dialog
      title="Find anything"
      open={open}
      setOpen={setOpen}
      wide
      trigger={
        <Button
          look="quiet"
          className="flex w-full items-center justify-between gap-3 px-5 no-underline max-xl:px-3"
        >
          Find <span className="num border border-rule px-1.5 text-[12px]">/</span>
        </Button>
      }
    >
      <Everything close={() => setOpen(false)} />
    </Dialog>
  );
}
