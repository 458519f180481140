import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Dialog } from "radix-ui";
import { type ReactNode, useState } from "react";
import { api, Refused, type Workshop } from "../api/client";

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
  const said = (field: string) =>
    trouble[field] && <p className="text-[14px] text-oxide">{trouble[field]}</p>;
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        save();
      }}
    >
      <div className="flex gap-3">
        <label className="flex-1">
          <span className="label">An hour of work</span>
          <input
            className="field num"
            inputMode="decimal"
            value={hour}
            onChange={(e) => setHour(e.target.value)}
          />
        </label>
        <label className="w-24">
          <span className="label">Currency</span>
          <input className="field" value={sign} onChange={(e) => setSign(e.target.value)} />
        </label>
      </div>
      {said("/prices/labour_per_hour")}
      {said("/prices/currency")}
      {said("")}
      <p className="mt-2 text-[14px] text-faint">
        For all jobs of this shop. Parts cost what the vehicle file says, or what is typical of
        their kind.
      </p>
      <div className="mt-4 flex gap-3">
        <button type="submit" className="act" disabled={!(Number(hour) > 0)}>
          Settle
        </button>
        <Dialog.Close className="plain">Leave it</Dialog.Close>
      </div>
    </form>
  );
}

/** Opens the shop's prices where an amount is shown. */
export function Rates({ children }: { children: ReactNode }) {
  const [open, setOpen] = useState(false);
  const settled = useWorkshop(open);
  return (
    <Dialog.Root open={open} onOpenChange={setOpen}>
      <Dialog.Trigger
        className="underline underline-offset-3"
        aria-label="what work costs in this shop"
      >
        {children}
      </Dialog.Trigger>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 bg-ink/30" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed top-1/4 left-1/2 w-96 max-w-[92vw] -translate-x-1/2 border border-ink bg-sheet p-5"
        >
          <Dialog.Title className="mb-3 font-bold">What work costs here</Dialog.Title>
          {settled.error && <p className="text-oxide">{settled.error.message}</p>}
          {settled.data && <Form workshop={settled.data.workshop} close={() => setOpen(false)} />}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
