import type { FaceCavity, Face as FaceData } from "../api/client";
import { Button } from "../ui/Button";
import { strands } from "./colours";

const percent = (p: number) => `${(100 * p).toFixed(0)} %`;

function CavityBox({
  cavity,
  suspicion,
  chosen,
  choose,
}: {
  cavity: FaceCavity;
  suspicion: number;
  chosen: boolean;
  choose: (id: string) => void;
}) {
  if (!cavity.id) {
    return (
      <div className="num min-h-[24px] border border-dashed border-rule px-1.5 text-[12px] text-faint">
        {cavity.no.slice(1)}
      </div>
    );
  }
  const { base, stripe } = strands(cavity.colour);
  const differs = cavity.under != null && Math.abs(cavity.under - cavity.volts) > cavity.tolerance;
  return (
    <button
      type="button"
      data-cavity={cavity.id}
      title={cavity.to}
      aria-pressed={chosen}
      className={`min-h-[68px] min-w-0 border px-1.5 py-1 text-left leading-tight ${chosen ? "border-2 border-verdigris" : suspicion > 0.01 ? "border-2 border-copper" : "border-ink"}`}
      onClick={() => choose(cavity.id)}
    >
      <span className="flex items-center justify-between gap-1">
        <b className="num">{cavity.no}</b>
        {cavity.wire && (
          <span
            className="inline-block h-2.5 w-7 border border-ink"
            style={{
              background: stripe
                ? `repeating-linear-gradient(115deg, ${base} 0 6px, ${stripe} 6px 9px)`
                : base,
            }}
          />
        )}
      </span>
      <span className="num block truncate text-[12px] text-faint">
        {cavity.wire ? cavity.colour : "no conductor"}
      </span>
      <span className="num block text-[13px] whitespace-nowrap">{cavity.volts.toFixed(2)} V</span>
      {differs && (
        <span className="num block text-[13px] text-copper">{cavity.under?.toFixed(2)} V</span>
      )}
      {suspicion > 0.01 && <span className="block text-[12px]">{percent(suspicion)}</span>}
    </button>
  );
}

/** A connector as seen on its mating side, with what every cavity should read. */
export function Face({
  face,
  halos,
  chosen,
  choose,
  close,
}: {
  face: FaceData;
  halos: Record<string, number>;
  chosen: string;
  choose: (id: string) => void;
  close: () => void;
}) {
  const at = face.rows.flat().find((c) => c.id === chosen);
  const widest = Math.max(...face.rows.map((r) => r.length));
  // A long row is broken where the screen ends, at the same place in each row.
  const across = Math.min(widest, 11);
  return (
    <div className="min-h-0 overflow-auto px-5 pb-2">
      <div className="flex items-baseline gap-4 py-1">
        <h2 className="font-bold">
          {face.id} {face.name}
        </h2>
        <span className="text-[13px] text-faint">
          mating side · {face.place} · {face.minutes.toFixed(0)} min to reach
          {face.note && ` · ${face.note}`}
        </span>
        <Button className="ml-auto" onClick={close}>
          back to the sheet
        </Button>
      </div>
      <p className="num pb-1 text-[13px]">
        {at
          ? `${at.id}: conductor ${at.wire || "none"} ${at.colour} ${at.area_mm2 || ""} mm², to ${at.to || "nothing"}; expected ${at.volts.toFixed(2)} ± ${at.tolerance.toFixed(2)} V`
          : "Touch a cavity for its conductor and where that goes."}
      </p>
      <div className="grid gap-2 border-2 border-ink p-2">
        {face.rows.map((row) => (
          <div
            key={row[0]?.no}
            className="grid gap-1"
            style={{ gridTemplateColumns: `repeat(${across}, minmax(0, 1fr))` }}
          >
            {row.map((c) => (
              <CavityBox
                key={c.no}
                cavity={c}
                suspicion={halos[c.item] ?? 0}
                chosen={c.id === chosen}
                choose={choose}
              />
            ))}
          </div>
        ))}
      </div>
    </div>
  );
}
