import { useQuery } from "@tanstack/react-query";
import { api, type ServiceChart, type Signal, trouble } from "../../api/client";
import { useJob } from "../../api/job";
import { ohms, rounded } from "./chart";
import { digits } from "./words";

const WIDE = 360;
const HIGH = 170;
/** Rows of the table beside the picture. */
const ROWS = 9;

function Picture({ chart, volts }: { chart: ServiceChart; volts: number | null }) {
  const felt = chart.points.map((p) => p.felt);
  const all = chart.points.map((p) => p.module_volts);
  const [left, right] = [Math.min(...felt), Math.max(...felt)];
  const top = Math.max(...all, chart.open_volts, chart.short_volts) * 1.06 || 1;
  const x = (f: number) => 34 + ((WIDE - 44) * (f - left)) / (right - left);
  const y = (v: number) => HIGH - 22 - ((HIGH - 32) * v) / top;
  const edge = (sign: number) =>
    chart.points.map(
      (p, k) => `${x(p.felt)} ${y(p.module_volts + sign * (chart.tolerance_volts[k] ?? 0))}`,
    );
  const band = `M${edge(1).join("L")}L${edge(-1).reverse().join("L")}Z`;
  return (
    <svg
      viewBox={`0 0 ${WIDE} ${HIGH}`}
      className="w-full max-w-md bg-ground"
      role="img"
      aria-label={`${chart.stimulus} against volts at the module, from ${left} to ${right} ${chart.unit}`}
    >
      {(chart.valid ?? []).map((v) => (
        <path
          key={v}
          d={`M34 ${y(v)}H${WIDE - 10}`}
          className="stroke-oxide"
          strokeDasharray="3 4"
          strokeWidth="1"
        />
      ))}
      <path d={band} className="fill-verdigris" opacity="0.22" />
      <path
        d={`M${edge(0).join("L")}`}
        fill="none"
        className="stroke-verdigris"
        strokeWidth="1.6"
      />
      {volts !== null && (
        <path d={`M34 ${y(volts)}H${WIDE - 10}`} className="stroke-copper" strokeWidth="1.6" />
      )}
      {[0, top / 2, top / 1.06].map((v) => (
        <text key={v} x="30" y={y(v) + 4} textAnchor="end" className="num fill-faint text-[11px]">
          {v.toFixed(1)}
        </text>
      ))}
      {[left, (left + right) / 2, right].map((f) => (
        <text
          key={f}
          x={x(f)}
          y={HIGH - 6}
          textAnchor={f === left ? "start" : f === right ? "end" : "middle"}
          className="num fill-faint text-[11px]"
        >
          {digits(f)} {chart.unit}
        </text>
      ))}
    </svg>
  );
}

/** What a sensor should read: value, resistance and volts tied together, worked out from its circuit. */
export function ChartPanel({ signal, volts }: { signal: Signal; volts: number | null }) {
  const { view } = useJob();
  const query = useQuery({
    queryKey: ["chart", view.id, signal.id],
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: async () => {
      const { data, error } = await api.GET("/api/jobs/{id}/signals/{signal}/chart", {
        params: { path: { id: view.id, signal: signal.id } },
      });
      if (!data) throw new Error(trouble(error));
      return data;
    },
  });
  if (query.error) return <p className="text-ochre">{query.error.message}</p>;
  const chart = query.data;
  if (!chart) return <p className="text-faint">Working out the chart …</p>;
  const has = chart.points.some((p) => p.ohms != null);
  const row = "num border-b border-rule py-0.5 pr-4 text-right";
  return (
    <section aria-label={`chart of ${signal.name}`} className="py-3">
      <p className="text-[14px]">
        <span className="font-semibold">
          {chart.sensor_name} <span className="num">{chart.sensor}</span>
        </span>{" "}
        <span className="text-faint">
          worked out from its law and its circuit; the band is what 19 of 20 sound vehicles read
        </span>
      </p>
      <div className="mt-2 flex flex-wrap items-start gap-6">
        <Picture chart={chart} volts={volts} />
        <table className="text-[14px]">
          <thead>
            <tr className="label">
              <th className="pr-4 text-right font-normal">{chart.stimulus}</th>
              {has && <th className="pr-4 text-right font-normal">unplugged</th>}
              <th className="pr-4 text-right font-normal">at the sensor</th>
              <th className="pr-4 text-right font-normal">at the module</th>
            </tr>
          </thead>
          <tbody>
            {rounded(chart.points, ROWS).map((p) => (
              <tr key={p.felt}>
                <td className={row}>
                  {digits(p.felt)} {chart.unit}
                </td>
                {has && <td className={row}>{p.ohms == null ? "" : ohms(p.ohms)}</td>}
                <td className={row}>{p.sensor_volts.toFixed(2)} V</td>
                <td className={row}>{p.module_volts.toFixed(2)} V</td>
              </tr>
            ))}
            {[
              { word: "open", volts: chart.open_volts },
              { word: "shorted", volts: chart.short_volts },
            ].map((end) => (
              <tr key={end.word}>
                <td className={row}>{end.word}</td>
                {has && <td className={row}>{end.word === "open" ? "open" : "0 Ω"}</td>}
                <td className={row} />
                <td className={row}>{end.volts.toFixed(2)} V</td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      {chart.valid && (
        <p className="mt-1 text-[14px] text-faint">
          Beyond <span className="num">{chart.valid.join(" to ")} V</span> the module does not
          believe it
          {chart.substitute == null
            ? " and has no value."
            : ` and goes on with ${digits(chart.substitute)} ${chart.unit}.`}
        </p>
      )}
    </section>
  );
}
