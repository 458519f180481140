import { useState } from "react";
import { useJob } from "../api/job";
import { Button } from "../ui/Button";
import { Tabs } from "../ui/Tabs";
import { Page, type Whom } from "./report/Page";

/** The job to hand over: on paper, as one file, or as data. */
export function Report() {
  const { view } = useJob();
  const [whom, setWhom] = useState<Whom>("customer");
  const link = "plain inline-flex min-h-11 items-center";
  return (
    <article>
      <div className="no-print flex flex-wrap items-center gap-3 px-5 pt-4 pb-2">
        <Button look="act" onClick={() => window.print()}>
          Print
        </Button>
        <a className={link} href={`/api/jobs/${view.id}/report/${whom}?save=true`} download>
          Save as one file
        </a>
        <a className={link} href={`/api/jobs/${view.id}/ledger.csv`} download>
          Ledger as CSV
        </a>
        <a className={link} href={`/api/jobs/${view.id}/export`} download>
          Export JSON
        </a>
      </div>
      <Tabs
        label="whom the report is for"
        value={whom}
        set={setWhom}
        tabs={[
          { id: "customer", text: "For the customer", body: <Page whom="customer" /> },
          { id: "technician", text: "For the next technician", body: <Page whom="technician" /> },
        ]}
      />
    </article>
  );
}
