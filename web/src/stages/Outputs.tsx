import { useJob } from "../api/job";
import { Effect } from "../ui/Effect";

/** Outputs driven under guard, and what was seen. */
export function Outputs() {
  const { view, act, busy } = useJob();
  const driven = view.state.outputs ?? [];
  return (
    <section className="p-6">
      <h1 className="text-2xl font-bold">Outputs</h1>
      <p className="label">Drive one output, look, say what you see. It is always given back.</p>
      <ul className="mt-4 border-t border-rule">
        {view.outputs.map((o) => {
          const on = driven.includes(o.id);
          return (
            <li
              key={o.id}
              className="grid grid-cols-[1fr_17rem] gap-6 border-b border-rule py-4"
              data-output={o.id}
            >
              <div>
                <h2 className="text-[17px] font-semibold">{o.name}</h2>
                <p className="text-[14px]">{o.guard}</p>
                <p className="label">
                  stops by itself after <span className="num">{o.limit_s} s</span>
                </p>
                <button
                  type="button"
                  className={`mt-2 ${on ? "act" : "plain"}`}
                  disabled={busy !== ""}
                  onClick={() => act("drive", { output: o.id, on: !on }).catch(() => {})}
                >
                  {on ? "Stop" : "Drive it only"}
                </button>
              </div>
              <div>
                <p className="mb-1 font-semibold">{o.effect}?</p>
                <Effect part={o.load} state={o.state} />
              </div>
            </li>
          );
        })}
      </ul>
    </section>
  );
}
