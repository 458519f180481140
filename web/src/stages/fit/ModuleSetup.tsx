import type { Value } from "../../api/client";
import type { components } from "../../api/generated";
import { useJob } from "../../api/job";
import { Button } from "../../ui/Button";
import { STANDS, stood } from "../live/words";
import { FollowDialog } from "./FollowDialog";
import { WriteDialog } from "./WriteDialog";

type Setup = components["schemas"]["SetupView"];
type Setting = components["schemas"]["SettingView"];

const isRight = (value: Value | undefined) => value?.stands === "as_expected";

/** What a module holds now, beside what a sound vehicle's does. */
function Holds({ value, should }: { value: Value | undefined; should: string }) {
  if (!value) return <span className="text-faint">reading …</span>;
  if (value.raw == null) return <span className="text-ochre">{value.why}</span>;
  const stands = value.stands ? STANDS[value.stands] : null;
  const right = isRight(value);
  return (
    <>
      <span className={`num font-semibold ${right ? "" : "text-oxide"}`}>
        {stands?.sign} {stood(value.meaning)}
      </span>
      {!right && <span className="ml-2 text-faint">should be {should}</span>}
    </>
  );
}

/** What sets a setting. */
function Sets({ setting, module }: { setting: Setting; module: string }) {
  const { act, busy } = useJob();
  if (setting.set_by !== "routine") {
    return setting.did == null ? null : (
      <WriteDialog module={module} did={setting.did} name={setting.name} />
    );
  }
  if (setting.procedure) return <FollowDialog procedure={setting.procedure} />;
  return (
    <Button
      disabled={busy !== ""}
      onClick={() => act("teach", { setting: setting.id }).catch(() => {})}
    >
      {busy === "teach" ? "Teaching …" : "Teach"}
    </Button>
  );
}

/** What a module is set to, a line for each, with what sets it. */
export function ModuleSetup({ setup, values }: { setup: Setup; values: Map<string, Value> }) {
  const { act, busy } = useJob();
  return (
    <section aria-label={setup.module_name} data-setup={setup.module} className="mt-5">
      <div className="flex items-end justify-between border-b border-ink">
        <h2 className="pb-1 text-[15px] font-semibold">
          {setup.module_name} <span className="num text-faint">{setup.module}</span>
        </h2>
        <Button
          look="quiet"
          className="text-[14px]"
          disabled={busy !== ""}
          onClick={() => act("restart", { module: setup.module }).catch(() => {})}
        >
          {busy === "restart" ? "Starting anew …" : "Start it anew"}
        </Button>
      </div>
      <ul>
        {setup.settings.map((s) => (
          <li
            key={s.id}
            data-setting={s.id}
            className="grid grid-cols-[1fr_1fr_8rem] items-center gap-4 border-b border-rule py-2 max-md:grid-cols-1"
          >
            <div>
              <p className="font-semibold">{s.name}</p>
              {s.same_in.length > 0 && (
                <p className="text-[14px] text-faint">the same in {s.same_in.join(", ")}</p>
              )}
              {s.due && !isRight(values.get(s.signal ?? "")) && (
                <p className="text-[14px] text-ochre">◇ to be set anew after the work</p>
              )}
              {s.needs.length > 0 && (
                <p className="text-[14px] text-faint">takes: {s.needs.join(", ")}</p>
              )}
            </div>
            <p>
              <Holds value={values.get(s.signal ?? "")} should={s.should} />
            </p>
            <Sets setting={s} module={setup.module} />
          </li>
        ))}
      </ul>
    </section>
  );
}
