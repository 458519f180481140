import { type InputHTMLAttributes, type ReactNode, useId } from "react";

/** A line to type in, with its heading, a word of help and what is wrong with it. */
export function Field({
  heading,
  help,
  wrong,
  className = "",
  ...rest
}: InputHTMLAttributes<HTMLInputElement> & {
  heading: ReactNode;
  help?: string;
  wrong?: string;
}) {
  const id = useId();
  const said = wrong || help;
  return (
    <div>
      <label className="label block" htmlFor={id}>
        {heading}
      </label>
      <input
        {...rest}
        id={id}
        className={`field ${className}`}
        aria-invalid={wrong ? true : undefined}
        aria-describedby={said ? `${id}-said` : undefined}
      />
      {said && (
        <p id={`${id}-said`} className={`text-[14px] ${wrong ? "text-oxide" : "text-faint"}`}>
          {said}
        </p>
      )}
    </div>
  );
}
