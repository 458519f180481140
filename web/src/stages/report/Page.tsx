import { useQuery } from "@tanstack/react-query";
import { useLayoutEffect, useRef } from "react";
import { api, trouble } from "../../api/client";
import { useJob } from "../../api/job";

/** Whom a report is for. */
export type Whom = "customer" | "technician";

/** A report as the program writes it, the same that is saved and printed. */
export function Page({ whom }: { whom: Whom }) {
  const { view } = useJob();
  const place = useRef<HTMLDivElement>(null);
  const page = useQuery({
    queryKey: ["report", view.id, whom, view.entries],
    placeholderData: (before) => before,
    queryFn: async () => {
      const { data, error } = await api.GET("/api/jobs/{id}/report/{whom}", {
        params: { path: { id: view.id, whom } },
        parseAs: "text",
      });
      if (!data) throw new Error(trouble(error));
      return data;
    },
  });
  useLayoutEffect(() => {
    if (!page.data || !place.current) return;
    // Escaped where it is written; parsed apart, so that nothing in it runs.
    const written = new DOMParser().parseFromString(page.data, "text/html");
    const sheet = written.querySelector(".report");
    place.current.replaceChildren(...(sheet ? [document.importNode(sheet, true)] : []));
  }, [page.data]);
  return (
    <>
      {page.isPending && <p className="p-6 text-faint">Being written …</p>}
      {page.error && (
        <p role="alert" className="p-6 text-oxide">
          {page.error.message}
        </p>
      )}
      <div ref={place} data-report={whom} />
    </>
  );
}
