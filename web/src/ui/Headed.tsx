import type { ReactNode } from "react";

/** A control with words above it, if there are any. */
export function Headed({
  heading,
  of,
  children,
}: {
  heading?: ReactNode;
  /** Id of the control. */
  of: string;
  children: ReactNode;
}) {
  if (!heading) return children;
  return (
    <div>
      <label className="label block" htmlFor={of}>
        {heading}
      </label>
      {children}
    </div>
  );
}
