import { type ReactNode, useRef } from "react";
import { Button } from "./Button";

/** A button that asks for a file; on a phone, where `camera` is set, for a photograph. */
export function FileButton({
  label,
  accept,
  take,
  why = "",
  camera = false,
  children,
}: {
  /** What the file is, for those who do not see the button. */
  label: string;
  accept: string;
  take: (file: File) => void;
  /** Why none can be taken now; empty when one can. */
  why?: string;
  camera?: boolean;
  children: ReactNode;
}) {
  const field = useRef<HTMLInputElement>(null);
  return (
    <>
      <Button look="quiet" why={why} onClick={() => field.current?.click()}>
        {children}
      </Button>
      <input
        ref={field}
        type="file"
        className="hidden"
        tabIndex={-1}
        aria-label={label}
        accept={accept}
        capture={camera ? "environment" : undefined}
        onChange={(e) => {
          const file = e.target.files?.[0];
          if (file) take(file);
          e.target.value = "";
        }}
      />
    </>
  );
}
