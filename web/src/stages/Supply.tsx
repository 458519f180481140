import { useQuery } from "@tanstack/react-query";
import { api, type SupplyRow, trouble } from "../api/client";
import { useJob, useLive } from "../api/job";
import { Measure } from "../ui/Measure";
import { VerdictMark } from "../ui/verdict";

const KIND: Record<string, [string, string]> = {
  rest: ["At rest", "Charge: what the battery has left."],
  load: ["Under load", "A battery that gives way here misleads modules."],
  crank: ["Cranking", "Modules reset and store codes when this falls too far."],
  charging: ["Charging", "What the generator makes of it."],
};

/** One reading: what is to be seen, how to take it, what it was. */
function Reading({ row }: { row: SupplyRow }) {
  const [title, why] = KIND[row.kind] ?? [row.kind, ""];
  return (
    <li
      className="grid grid-cols-[9rem_1fr_17rem] items-center gap-5 border-b border-rule py-3"
      data-supply={row.kind}
    >
      <div>
        <h2 className="text-[17px] font-bold">{title}</h2>
        <p className="label">{row.state_name}</p>
      </div>
      <div>
        <p>
          expected <span className="num">{row.expected}</span>
        </p>
        {row.verdict ? (
          <p className="text-[14px]">
            <span className="num text-xl">{row.text}</span>{" "}
            <VerdictMark verdict={row.verdict} of="supply" />
            <span className="block text-faint">{row.why}</span>
          </p>
        ) : (
          <p className="text-[14px] text-faint">{why}</p>
        )}
      </div>
      <Measure
        wanted={{ quantity: "volts", red: row.red, black: row.black, state: row.state }}
        id={`supply-${row.kind}`}
      />
    </li>
  );
}

/** The supply first: rest, load, cranking, charging; the charger; codes that came at low supply. */
export function Supply() {
  const { view, act, busy } = useJob();
  const live = useLive(view.id);
  const rows = useQuery({
    // A longer ledger may hold another reading.
    queryKey: ["supply", view.id, view.ledger.length],
    placeholderData: (before: SupplyRow[] | undefined) => before,
    queryFn: async () => {
      const { data, error } = await api.GET("/api/jobs/{id}/supply", {
        params: { path: { id: view.id } },
      });
      if (!data) throw new Error(trouble(error));
      return data;
    },
  });
  const charger = view.state.charger ?? false;
  const low = (view.scan?.modules ?? []).flatMap((m) =>
    m.codes.filter((c) => c.low_supply != null).map((c) => ({ ...c, module: m })),
  );
  return (
    <section className="p-6">
      <h1 className="text-2xl font-bold">Supply</h1>
      <p className="label">
        Red on the battery's plus post, black on its minus post. A weak supply makes modules report
        faults that do not exist.
      </p>
      <ul className="mt-4 border-t border-rule">
        {rows.data?.map((row) => (
          <Reading key={row.kind} row={row} />
        ))}
      </ul>
      {rows.isLoading && <p className="mt-4 text-faint">Solving what it should read …</p>}
      {rows.error && (
        <p role="alert" className="mt-4 text-oxide">
          {rows.error.message}
        </p>
      )}
      {rows.data?.length === 0 && <p className="mt-4">This vehicle file has no battery.</p>}
      <div className="mt-5 flex items-center gap-4">
        <label className="flex min-h-11 items-center gap-2 font-semibold">
          <input
            type="checkbox"
            className="size-5"
            checked={charger}
            disabled={busy !== ""}
            onChange={(e) =>
              act("state", { state: { ...view.state, charger: e.target.checked } }).catch(() => {})
            }
          />
          Charger clipped on
        </label>
        <span className="text-[14px] text-faint">
          {charger
            ? "Readings are taken as with a charger; take it off before rest and cranking."
            : "Clip one on for long work with the key on."}
        </span>
        <span className="ml-auto">
          modules see{" "}
          <span className="num">
            {live.data?.supply_volts == null ? "–" : `${live.data.supply_volts.toFixed(2)} V`}
          </span>
        </span>
      </div>
      <h2 className="mt-6 font-bold">Codes set while the supply was low</h2>
      {low.length === 0 ? (
        <p className="text-faint">
          {view.scan
            ? `None: every code of the latest scan was set at ${view.scan.low_below} V or more.`
            : "Known after a scan: each code keeps the supply it was set at."}
        </p>
      ) : (
        <ul className="mt-1" data-low={low.length}>
          {low.map((c) => (
            <li
              key={`${c.module.id} ${c.code}`}
              className="flex items-baseline gap-3 border-b border-rule py-1"
            >
              <span className="num w-24 shrink-0 font-semibold">{c.code}</span>
              <span className="min-w-0">
                {c.text} <span className="text-faint">{c.module.name}</span>
              </span>
              <span className="num ml-auto shrink-0 text-ochre">
                {c.low_supply?.toFixed(1)} V · {c.status}
              </span>
            </li>
          ))}
        </ul>
      )}
    </section>
  );
}
