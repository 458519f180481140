import { useQuery } from "@tanstack/react-query";
import { api } from "../../api/client";

/** The number of the vehicle on the link, to take or to wonder about. */
export function FromVehicle({
  job,
  vin,
  take,
}: {
  job: number;
  vin: string;
  take: (vin: string) => void;
}) {
  const announced = useQuery({
    queryKey: ["announced", job],
    retry: false,
    queryFn: async () =>
      (await api.GET("/api/jobs/{id}/announced", { params: { path: { id: job } } })).data ?? null,
  });
  const found = announced.data?.vin;
  if (!found || found === vin) return null;
  return (
    <span className="flex items-center gap-3 text-[14px]" role="status">
      <span className={vin ? "text-oxide" : ""}>
        {vin ? "The vehicle on the link is another: " : "On the link: "}
        <span className="num">{found}</span>
      </span>
      <button type="button" className="underline" onClick={() => take(found)}>
        take it
      </button>
    </span>
  );
}
