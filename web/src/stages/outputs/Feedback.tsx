import { useQuery } from "@tanstack/react-query";
import { api, trouble } from "../../api/client";
import { STANDS, stood } from "../live/words";

/** What is read again while an output is driven, milliseconds. */
const AGAIN = 1000;

/** What the module reads of an output that is driven: the volts at its pin, or the current it takes. */
export function Feedback({
  job,
  signal,
  of,
  pulsed,
}: {
  job: number;
  signal: string;
  of: "pin" | "current";
  /** It is on for a share of the time only. */
  pulsed: boolean;
}) {
  const query = useQuery({
    queryKey: ["feedback", job, signal],
    refetchInterval: AGAIN,
    gcTime: 0,
    queryFn: async () => {
      const { data, error } = await api.POST("/api/jobs/{id}/values", {
        params: { path: { id: job } },
        body: { signals: [signal] },
      });
      if (!data) throw new Error(trouble(error));
      return data;
    },
  });
  const value = query.data?.values[0];
  const stands = value?.stands ? STANDS[value.stands] : null;
  if (!value) return <p className="label">{query.error ? query.error.message : "reading …"}</p>;
  return (
    <p className="text-[14px]" data-feedback={signal}>
      {of === "pin" ? "At its pin" : "It takes"}
      {pulsed && " while it is on"}{" "}
      {value.raw == null ? (
        <span className="text-ochre">{value.why}</span>
      ) : (
        <>
          <span className="num font-semibold">
            {value.raw.toFixed(1)} {of === "pin" ? "V" : "A"}
          </span>{" "}
          {stands && (
            <span className={stands.colour}>
              {stands.sign} {stands.word}
            </span>
          )}
          {value.stands === "differs" && value.expected && (
            <span className="text-faint"> expected {stood(value.expected)}</span>
          )}
        </>
      )}
    </p>
  );
}
