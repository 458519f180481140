import { useQuery } from "@tanstack/react-query";
import { Link as To } from "@tanstack/react-router";
import { useState } from "react";
import { api, type Chain as ChainOf, trouble } from "../../api/client";
import { useJob } from "../../api/job";
import { useAddress } from "../../shell/address";
import { Button } from "../../ui/Button";
import { Combobox } from "../../ui/Combobox";
import { KeepValue } from "../../ui/KeepValue";

type Link = ChainOf["links"][number];
type Look = Link["looks"][number];
type Permit = Link["permits"][number];

const KNOWN: Record<Link["known"], { sign: string; word: string; colour: string }> = {
  holds: { sign: "○", word: "holds", colour: "text-verdigris" },
  unknown: { sign: "◇", word: "not known", colour: "text-faint" },
  fails: { sign: "■", word: "fails", colour: "text-oxide" },
};

const STEPS: Record<Link["step"], string> = {
  seen: "Seen by the module",
  received: "Received over the bus",
  permitted: "Permitted",
  commanded: "Commanded",
  at_pin: "At the driver's pin",
  effect: "Effect",
};

/** What a module says of something a link hangs on, and the way back to its conductor. */
function LookRow({ look }: { look: Look }) {
  const { view } = useJob();
  return (
    <li className="flex flex-wrap items-baseline gap-x-3 gap-y-1 py-1 text-[14px]">
      <span>{look.name}</span>
      <span className={`num font-semibold ${look.as_expected ? "" : "text-oxide"}`}>
        {look.says || "not read"}
      </span>
      {look.volts != null && !look.says.endsWith(" V") && (
        <span className="num text-faint">{look.volts.toFixed(2)} V</span>
      )}
      {!look.as_expected && look.expected && (
        <span className="text-oxide">a sound vehicle says {look.expected}</span>
      )}
      <span className="text-faint">
        {look.message ? `message ${look.message} ` : ""}
        {look.pin && <span className="num">{look.pin}</span>}
      </span>
      {look.wire && (
        <To
          to="/job/$id/$stage"
          params={{ id: String(view.id), stage: "circuit" }}
          search={{ about: `wire:${look.wire}` }}
          className="text-faint underline underline-offset-3"
        >
          conductor {look.wire}
        </To>
      )}
      {look.volts != null && !look.as_expected && (
        <KeepValue look="quiet" signal={look.signal} value={look.volts} />
      )}
    </li>
  );
}

/** Conditions in one glance: what blocks, what nobody knows, what permits. */
function Permits({ permits }: { permits: Permit[] }) {
  const [all, setAll] = useState(false);
  const blocking = permits.filter((p) => p.known === "fails");
  const unknown = permits.filter((p) => p.known === "unknown");
  const permitting = permits.filter((p) => p.known === "holds");
  const shown = [...blocking, ...unknown, ...(all ? permitting : [])];
  return (
    <div>
      <p className="text-[14px]">
        <span className={blocking.length > 0 ? "font-semibold text-oxide" : "text-faint"}>
          {blocking.length} blocking
        </span>
        , <span className="text-faint">{unknown.length} not known</span>,{" "}
        <span className="text-verdigris">{permitting.length} permitting</span>
        {permitting.length > 0 && (
          <Button look="quiet" className="ml-3" onClick={() => setAll(!all)}>
            {all ? "hide what permits" : "show what permits"}
          </Button>
        )}
      </p>
      <ul>
        {shown.map((p) => (
          <li key={p.name} className="border-t border-rule py-1">
            <span className={`font-semibold ${KNOWN[p.known].colour}`}>
              {KNOWN[p.known].sign} {p.name}
            </span>
            <ul>
              {p.looks.map((l) => (
                <LookRow key={l.signal} look={l} />
              ))}
            </ul>
          </li>
        ))}
      </ul>
    </div>
  );
}

/** Looks that are listed although all of them are as they must be. */
const LISTED = 3;

/** What a link hangs on; a long list in which nothing is amiss is told in one line. */
function Looks({ link }: { link: Link }) {
  const [all, setAll] = useState(false);
  const long = link.looks.length > LISTED && link.known === "holds";
  return (
    <>
      {long && (
        <p className="text-[14px]">
          <span className="text-verdigris">{link.looks.length} as they must be</span>
          <Button look="quiet" className="ml-3" onClick={() => setAll(!all)}>
            {all ? "hide them" : "show them"}
          </Button>
        </p>
      )}
      {(!long || all) && (
        <ul>
          {link.looks.map((l) => (
            <LookRow key={l.signal} look={l} />
          ))}
        </ul>
      )}
    </>
  );
}

function Step({ link, first, after }: { link: Link; first: boolean; after: boolean }) {
  const known = KNOWN[link.known];
  return (
    <li
      data-step={link.step}
      className={`grid grid-cols-[12rem_minmax(0,1fr)] gap-4 border-b border-rule py-2 max-md:grid-cols-1 ${
        first ? "border-l-4 border-l-oxide pl-3" : "pl-4"
      }`}
    >
      <div>
        <h3 className="font-semibold">{STEPS[link.step]}</h3>
        <p className={`text-[14px] font-semibold ${after ? "text-faint" : known.colour}`}>
          {known.sign}{" "}
          {link.by_later
            ? "proven by what follows"
            : after && link.known === "fails"
              ? "fails, as it must"
              : known.word}
        </p>
      </div>
      <div>
        {link.permits.length > 0 && <Permits permits={link.permits} />}
        <Looks link={link} />
        {(link.known === "unknown" || (first && link.step === "seen")) && (
          <p className="text-[14px] text-faint">
            {link.shown_by}, <span className="num">{link.minutes} min</span>
          </p>
        )}
      </div>
    </li>
  );
}

/** What a driver wishes for, followed link by link to the effect; values are read as long as it is open. */
export function Chain() {
  const { view } = useJob();
  const [address, go] = useAddress();
  const chosen = address.about ?? "";
  const functions = useQuery({
    queryKey: ["functions", view.id, view.lists],
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: async () => {
      const { data, error } = await api.GET("/api/jobs/{id}/functions", {
        params: { path: { id: view.id } },
      });
      if (!data) throw new Error(trouble(error));
      return data;
    },
  });
  const query = useQuery({
    queryKey: ["chain", view.id, chosen, view.ledger.length],
    enabled: chosen !== "",
    refetchInterval: 1500,
    placeholderData: (before) => (before?.chain.id === chosen ? before : undefined),
    queryFn: async () => {
      const { data, error } = await api.GET("/api/jobs/{id}/functions/{function}", {
        params: { path: { id: view.id, function: chosen } },
      });
      if (!data) throw new Error(trouble(error));
      return data;
    },
  });
  const choices = (functions.data ?? []).map((f) => ({
    id: f.id,
    text: f.name,
    sort: `${f.module_name} ${f.load_name}`,
  }));
  const chain = query.data?.chain;
  return (
    <section aria-label="From wish to effect" className="mt-3">
      <div className="max-w-xl">
        <Combobox
          label="what the driver asks for"
          heading="what it does not do: followed from the wish to the effect"
          value={chosen}
          choices={choices}
          clears
          placeholder="open the sliding door, low beam, horn …"
          set={(about) => go({ about })}
        />
      </div>
      {query.error && <p className="mt-2 text-ochre">{query.error.message}</p>}
      {query.data?.trouble && (
        <p role="alert" className="mt-2 text-ochre">
          {query.data.trouble}
        </p>
      )}
      {chain && (
        <ol className="mt-3 border-t border-ink" aria-label={`${chain.name}, link by link`}>
          {chain.links.map((link, k) => (
            <Step
              key={link.step}
              link={link}
              first={k === chain.fails_at}
              after={chain.fails_at != null && k > chain.fails_at}
            />
          ))}
        </ol>
      )}
    </section>
  );
}
