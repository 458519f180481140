import { useJob } from "../../api/job";

/** Codes that the technician's own doings make; they say nothing of the fault. */
export function Own() {
  const { view } = useJob();
  if (view.own.length === 0) return null;
  const by = [...new Set(view.own.map((o) => o.by))];
  return (
    <details className="mt-4 border-l-4 border-ochre pl-3" data-own={view.own.length}>
      <summary className="min-h-11 cursor-pointer">
        {by.join(", ")}: expect {view.own.length}{" "}
        {view.own.length === 1 ? "code" : "codes or silences"} from that. They are labelled and left
        out.
      </summary>
      <ul className="pb-2 text-[14px]">
        {view.own.map((o) => (
          <li key={`${o.module} ${o.code}`}>
            <span className="num font-semibold">
              {o.module} {o.code}
            </span>{" "}
            {o.text}
          </li>
        ))}
      </ul>
    </details>
  );
}
