import { useState } from "react";
import type { RollView } from "../../api/client";
import { useJob, useLive, useRollCallWish } from "../../api/job";
import { Button } from "../../ui/Button";
import { ByHand } from "../../ui/ByHand";
import { Combobox } from "../../ui/Combobox";
import { KeyOff } from "../../ui/KeyOff";
import { WatchStrip, WithHand } from "./WatchStrip";

/** Starts, pauses, marks and keeps the roll call; moves the harness while it runs. */
export function RollControls({ roll }: { roll?: RollView }) {
  const { view, act, busy } = useJob();
  const live = useLive(view.id);
  const wish = useRollCallWish(view.id);
  const [at, setAt] = useState("");
  const [text, setText] = useState("");
  const running = roll?.running ?? false;
  const rounds = roll?.rounds ?? 0;
  const place = at || undefined;
  const marks = roll?.marks.slice(-3) ?? [];
  return (
    <div className="mt-2">
      <div className="flex flex-wrap items-center gap-3">
        <button
          type="button"
          className={running ? "plain" : "act"}
          disabled={wish.isPending}
          onClick={() => wish.mutate(running ? "pause" : "run")}
        >
          {running ? "Pause" : rounds > 0 ? "Go on" : "Start the roll call"}
        </button>
        {rounds > 0 && (
          <>
            <Button onClick={() => wish.mutate("anew")}>Start anew</Button>
            <button
              type="button"
              className={running ? "plain" : "act"}
              disabled={busy !== "" || roll?.kept}
              onClick={() => act("keep-roll-call").catch(() => {})}
            >
              {roll?.kept ? "Kept in the ledger" : "Keep as evidence"}
            </button>
            <span className="num text-faint" role="status">
              {rounds} rounds, {roll?.seconds} s
            </span>
            <a className="quiet flex items-center" href={`/api/jobs/${view.id}/roll-call.csv`}>
              as CSV
            </a>
          </>
        )}
        {rounds === 0 && (
          <span className="text-faint">
            Asks every module again and again, and shows who falls silent, when, and with whom.
          </span>
        )}
      </div>
      {(wish.error || roll?.trouble) && (
        <p role="alert" className="mt-2 border-l-4 border-ochre pl-3">
          {wish.error?.message ?? roll?.trouble}
        </p>
      )}
      <KeyOff />
      {running && (
        <div className="mt-3 flex flex-wrap items-end gap-3">
          <div className="w-64">
            <Combobox
              heading="move the harness at"
              label="moved at"
              placeholder="place, connector, conductor"
              clears
              value={at}
              choices={view.places.map((p) => ({ id: p.id, text: p.name }))}
              set={setAt}
            />
          </div>
          {place && <ByHand task={{ kind: "moved", at: place }} state={view.state} flat />}
          {!(place && live.data?.hands) && (
            <form
              className="flex items-end gap-2"
              onSubmit={(e) => {
                e.preventDefault();
                wish.mutate({ mark: text || (place ? `moving ${place}` : "here") });
                setText("");
              }}
            >
              <label className="block">
                <span className="label block">or mark what you do</span>
                <input
                  className="field w-44"
                  value={text}
                  onChange={(e) => setText(e.target.value)}
                />
              </label>
              <Button type="submit">Mark</Button>
            </form>
          )}
        </div>
      )}
      {marks.length > 0 && (
        <p className="label mt-2">
          marks:{" "}
          {marks.map((m) => (
            <span key={`${m.round} ${m.text}`} className="mr-3">
              <span className="num text-verdigris">{m.round}</span> {m.text}
            </span>
          ))}
        </p>
      )}
      {roll && <WithHand roll={roll} />}
      {roll?.scope && <WatchStrip roll={roll} scope={roll.scope} />}
    </div>
  );
}
