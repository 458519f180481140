import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, trouble } from "../../api/client";
import { useJob } from "../../api/job";
import { Select } from "../../ui/Select";

const clock = (at: string) => at.slice(11, 16);

/** Any two scans side by side: what is gone, stayed, returned, new. */
export function Compare() {
  const { view } = useJob();
  const scans = view.scans;
  const [from, setFrom] = useState<number | null>(null);
  const [to, setTo] = useState<number | null>(null);
  const a = from ?? scans[0]?.number ?? 0;
  const b = to ?? scans.at(-1)?.number ?? 0;
  const compared = useQuery({
    queryKey: ["compare", view.id, a, b],
    enabled: scans.length > 1 && a !== b,
    queryFn: async () => {
      const { data, error } = await api.GET("/api/jobs/{id}/compare", {
        params: { path: { id: view.id }, query: { from: a, to: b } },
      });
      if (!data) throw new Error(trouble(error));
      return data;
    },
  });
  if (scans.length < 2) return null;
  const choose = (label: string, value: number, set: (n: number) => void) => (
    <Select
      heading={label}
      label={`scan ${label}`}
      value={String(value)}
      choices={scans.map((s) => ({
        id: String(s.number),
        text: `${s.number} · ${clock(s.at)} · ${s.state} · ${s.codes} codes`,
      }))}
      set={(number) => set(Number(number))}
    />
  );
  return (
    <section aria-label="Two scans" className="mt-6">
      <h2 className="font-bold">Two scans compared</h2>
      <div className="mt-1 grid grid-cols-2 gap-4">
        {choose("from", a, setFrom)}
        {choose("to", b, setTo)}
      </div>
      {a === b && <p className="mt-2 text-faint">Choose two different scans.</p>}
      {compared.error && (
        <p role="alert" className="mt-2 text-oxide">
          {compared.error.message}
        </p>
      )}
      {compared.data?.length === 0 && <p className="mt-2 text-faint">Neither holds a code.</p>}
      <ul className="mt-2 columns-2 gap-6">
        {compared.data?.map((c) => (
          <li
            key={`${c.module} ${c.code}`}
            className="flex justify-between gap-3 border-b border-rule py-1"
          >
            <span className="num">
              {c.module} {c.code}
            </span>
            <span className="font-semibold">{c.fate}</span>
          </li>
        ))}
      </ul>
    </section>
  );
}
