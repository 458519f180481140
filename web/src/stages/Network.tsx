import { useJob, useRollCall } from "../api/job";
import { BusRows } from "./network/BusRows";
import { useBuses } from "./network/buses";
import { Captures } from "./network/captures/Captures";
import { Identification } from "./network/Identification";
import { RollControls } from "./network/RollControls";

/** This vehicle's buses as they are wired, with who answers over time. */
export function Network() {
  const { view } = useJob();
  const roll = useRollCall(view.id);
  const buses = useBuses(view.id);
  return (
    <section className="px-6 py-5">
      <h1 className="text-2xl font-bold">Network</h1>
      <RollControls roll={roll.data} />
      {buses.error && (
        <p role="alert" className="mt-4 text-oxide">
          {buses.error.message}
        </p>
      )}
      {buses.data?.map((bus) => (
        <BusRows key={bus.id} bus={bus} roll={roll.data} />
      ))}
      <Captures />
      <Identification />
    </section>
  );
}
