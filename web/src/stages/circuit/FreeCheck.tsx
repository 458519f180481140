import { type ReactNode, useState } from "react";
import type { Instrument } from "../../api/client";
import { useJob } from "../../api/job";
import { Button } from "../../ui/Button";
import { Combobox } from "../../ui/Combobox";
import { Measure } from "../../ui/Measure";
import { Select } from "../../ui/Select";
import { Tabs } from "../../ui/Tabs";
import { Harness } from "./Harness";
import { Insulation } from "./Insulation";
import { Thinking } from "./Thinking";

/** A point with what it should read. */
interface ReadPoint {
  id: string;
  volts: number;
  tolerance: number;
}

const INSTRUMENTS: { id: Instrument; text: string }[] = [
  { id: "volts", text: "V" },
  { id: "ohms", text: "Ω" },
  { id: "amps", text: "A clamp" },
  { id: "low_volts", text: "V low-Z" },
  { id: "shunt", text: "A shunt" },
  { id: "lamp5", text: "lamp 5 W" },
  { id: "lamp21", text: "lamp 21 W" },
  { id: "led", text: "LED" },
  { id: "jumper", text: "jumper" },
];

type Mode = "reading" | "harness" | "insulation";

/**
 * Any check the technician has in mind, beside what is proposed. It stays folded until a point is touched or
 * a tab chosen: the height is the sheet's.
 */
export function FreeCheck({ at, pins }: { at: string; pins: ReadPoint[] }) {
  const [chosen, setChosen] = useState<Mode | "">("");
  const [opened, setOpened] = useState("");
  if (opened !== at) {
    setOpened(at);
    if (at && !chosen) setChosen("reading");
  }
  const byHand = (body: ReactNode) => (
    <section aria-label="By hand" className="max-h-72 overflow-y-auto px-5 pt-1 pb-2">
      {body}
    </section>
  );
  return (
    <div className="border-t border-rule">
      <Tabs<Mode>
        label="a check of your own"
        value={chosen}
        set={setChosen}
        fold={() => setChosen("")}
        tabs={[
          { id: "reading", text: "Read", body: <FreeReading at={at} pins={pins} /> },
          {
            id: "harness",
            text: "Move or look",
            body: byHand(<Harness at={at.split(".")[0] ?? ""} />),
          },
          { id: "insulation", text: "Insulation", body: byHand(<Insulation />) },
        ]}
      />
    </div>
  );
}

/** Any reading, anywhere, in the state as it is. */
function FreeReading({ at, pins }: { at: string; pins: ReadPoint[] }) {
  const { view } = useJob();
  const [quantity, setQuantity] = useState<Instrument>("volts");
  const [red, setRed] = useState(at);
  const [black, setBlack] = useState(view.reference);
  const [seen, setSeen] = useState(at);
  if (seen !== at) {
    setSeen(at);
    setRed(at);
  }
  const pin = pins.find((p) => p.id === red);
  const points = (quantity === "amps" ? view.wires : view.points).map((p) => ({
    id: p.id,
    text: p.name,
  }));
  const known = (id: string) => points.some((p) => p.id === id);
  const ready = known(red) && (quantity === "amps" || known(black));
  const [wondering, setWondering] = useState(false);
  const body = { quantity, red, black: quantity === "amps" ? "" : black, state: view.state };
  return (
    <>
      {wondering && ready && <Thinking body={body} close={() => setWondering(false)} />}
      <section
        aria-label="Free reading"
        className="grid grid-cols-[6.5rem_1fr_1fr_auto_15rem] items-end gap-3 px-5 pb-2 max-xl:grid-cols-[6.5rem_1fr_1fr] max-md:grid-cols-2"
      >
        <Select
          heading="read"
          label="read"
          value={quantity}
          choices={INSTRUMENTS}
          set={setQuantity}
        />
        <Combobox
          heading={
            <>
              {quantity === "amps" ? "clamp round conductor" : "red"}
              {pin && quantity === "volts" && black === view.reference && (
                <span className="num">
                  {" "}
                  expected {pin.volts.toFixed(2)} ± {pin.tolerance.toFixed(2)} V
                </span>
              )}
            </>
          }
          label="red"
          className="field num"
          byId
          value={red}
          choices={points}
          set={setRed}
        />
        <div className={quantity === "amps" ? "invisible" : ""}>
          <Combobox
            heading="black"
            label="black"
            className="field num"
            byId
            value={black}
            choices={points}
            set={setBlack}
          />
        </div>
        <Button
          className="px-2"
          why={ready ? "" : "Name the points first: touch a cavity on the sheet, or type one."}
          aria-expanded={wondering}
          onClick={() => setWondering(!wondering)}
        >
          What if?
        </Button>
        {ready ? (
          <Measure id="free-value" wanted={body} />
        ) : (
          <p className="pb-2 text-[14px] text-faint">Touch a cavity on the sheet, or type one.</p>
        )}
      </section>
    </>
  );
}
