import { useJob } from "../api/job";

/** Switches the ignition off and on: modules start with what they were set to, and monitors run anew. */
export function useKeyCycle(): () => Promise<void> {
  const { view, act } = useJob();
  return async () => {
    await act("state", { state: { ...view.state, key: "0" } });
    await act("state", { state: { ...view.state, key: "15" } });
  };
}
