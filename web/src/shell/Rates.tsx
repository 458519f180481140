import { useQuery, useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import { api, Refused, type Workshop } from "../api/client";
import { Button } from "../ui/Button";
import { Dialog } from "../ui/Dialog";
import { Field } from "../ui/Field";

/** The shop's own numbers and what is usual. */
function useWorkshop(wanted: boolean) {
  return useQuery({
    queryKey: ["workshop"],
    enabled: wanted,
    queryFn: async () => {
      const { data, error } = await api.GET("/api/workshop");
      if (!data) throw new Refused(error);
      return data;
    },
  });
}

/** What an hour of work costs here, for all jobs of this shop. */
function Form({ workshop, close }: { workshop: Workshop; close: () => void }) {
  const cache = useQueryClient();
  const [hour, setHour] = useState(String(workshop.prices?.labour_per_hour ?? 90));
  const [sign, setSign] = useState(workshop.prices?.currency ?? "€");
  const [trouble, setTrouble] = useState<Record<string, string>>({});
  const save = async () => {
    const prices = { ...workshop.prices, labour_per_hour: Number(hour), currency: sign };
    const { data, error } = await api.PUT("/api/workshop", { body: { ...workshop, prices } });
    if (!data) {
      const refused = new Refused(error);
      setTrouble(Object.keys(refused.fields).length ? refused.fields : { "": refused.message });
      return;
    }
    await cache.invalidateQueries({ queryKey: ["workshop"] });
    await cache.invalidateQueries({ queryKey: ["job"] });
    close();
  };
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        save();
      }}
    >
      <div className="flex gap-3">
        <div className="flex-1">
          <Field
            heading="An hour of work"
            className="num"
            inputMode="decimal"
            value={hour}
            wrong={trouble["/prices/labour_per_hour"]}
            onChange={(e) => setHour(e.target.value)}
          />
        </div>
        <div className="w-24">
          <Field
            heading="Currency"
            value={sign}
            wrong={trouble["/prices/currency"]}
            onChange={(e) => setSign(e.target.value)}
          />
        </div>
      </div>
      {trouble[""] && <p className="text-[14px] text-oxide">{trouble[""]}</p>}
      <p className="mt-2 text-[14px] text-faint">
        For all jobs of this shop. Parts cost what the vehicle file says, or what is typical of
        their kind.
      </p>
      <div className="mt-4 flex gap-3">
        <Button
          type="submit"
          look="act"
          why={Number(hour) > 0 ? "" : "An hour costs more than nothing."}
        >
          Settle
        </Button>
        <Button onClick={close}>Leave it</Button>
      </div>
    </form>
  );
}

/** Opens the shop's prices where an amount is shown. */
export function Rates({ children }: { children: ReactNode }) {
  const [open, setOpen] = useState(false);
  const settled = useWorkshop(open);
  return (
    <Dialog
      title="What work costs here"
      open={open}
      setOpen={setOpen}
      trigger={
        <button type="button" data-rates className="underline underline-offset-3">
          {children}
          <span className="sr-only">, what work costs in this shop</span>
        </button>
      }
    >
      {settled.error && <p className="text-oxide">{settled.error.message}</p>}
      {settled.data && <Form workshop={settled.data.workshop} close={() => setOpen(false)} />}
    </Dialog>
  );
}
