const WILL: Record<string, string> = {
  Supply:
    "judge the supply: battery at rest, under load and charging, and set codes from low supply apart.",
  Live: "show live values chosen by search, by group or by code, with graphs and recording.",
  Fit: "plan a replacement: keep the old configuration, write, teach, check, and the way back.",
};

/** A stage this version does not have yet, said plainly. */
export function Later({ stage }: { stage: string }) {
  return (
    <section className="max-w-xl p-6">
      <h1 className="text-2xl font-bold">{stage}</h1>
      <p className="mt-3">This stage is not built yet. It will {WILL[stage] ?? "come later."}</p>
      <p className="mt-2 text-faint">
        Everything found in the other stages is kept and will be used here.
      </p>
    </section>
  );
}
