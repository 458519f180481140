import { useJob } from "../../api/job";
import { Button } from "../../ui/Button";

/** Who every module says it is, with what is otherwise than at first. */
export function Identification() {
  const { view, act, busy } = useJob();
  const read = view.identification;
  return (
    <section aria-label="Identification" className="mt-8">
      <div className="flex items-center justify-between gap-4">
        <h2 className="text-[17px] font-bold">Who the modules say they are</h2>
        <div className="flex items-center gap-4">
          {read && (
            <a className="quiet flex items-center" href={`/api/jobs/${view.id}/identification.csv`}>
              as CSV
            </a>
          )}
          <Button disabled={busy !== ""} onClick={() => act("identify").catch(() => {})}>
            {busy === "identify" ? "Asking …" : read ? "Read again" : "Read identification"}
          </Button>
        </div>
      </div>
      {!read && (
        <p className="text-faint">
          Part, hardware, software: kept before and after a replacement, for the report.
        </p>
      )}
      {read && (
        <table className="mt-2 w-full text-[14px]">
          <thead>
            <tr className="border-b border-ink text-left">
              <th className="py-1">module</th>
              <th>part</th>
              <th>hardware</th>
              <th>software</th>
              <th>serial</th>
              <th>set to</th>
              <th>vehicle</th>
            </tr>
          </thead>
          <tbody>
            {read.modules.map((m) => (
              <tr
                key={m.module}
                className="border-b border-rule align-top"
                data-identity={m.module}
              >
                <td className="py-1">
                  {m.name} <span className="num text-faint">{m.module}</span>
                  {m.changed && <span className="block text-ochre">{m.changed}</span>}
                </td>
                {m.answered ? (
                  <>
                    <td className="num">{m.part}</td>
                    <td className="num">{m.hardware}</td>
                    <td className="num">{m.software}</td>
                    <td className="num">{m.serial}</td>
                    <td className="num">{m.configuration}</td>
                    <td className={m.foreign ? "num text-oxide" : "text-faint"}>
                      {m.foreign ? `another: ${m.vin}` : m.vin ? "this one" : "–"}
                    </td>
                  </>
                ) : (
                  <td colSpan={6} className="text-faint">
                    silent
                  </td>
                )}
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
}
