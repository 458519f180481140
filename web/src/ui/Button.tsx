import { Tooltip } from "radix-ui";
import { type ButtonHTMLAttributes, type MouseEvent, useState } from "react";

/** The weightiest thing to do, one of several, and one that stays in the background. */
export type Look = "act" | "plain" | "quiet";

/**
 * Something to press. What cannot be done now says why: when pointed at, when reached by the keyboard and
 * when pressed all the same.
 */
export function Button({
  look = "plain",
  why = "",
  className = "",
  type = "button",
  onClick,
  ...rest
}: ButtonHTMLAttributes<HTMLButtonElement> & {
  look?: Look;
  /** Why it cannot be pressed now; empty when it can. */
  why?: string;
}) {
  const [told, setTold] = useState(false);
  const classes = `${look} ${className}`.trim();
  if (!why) return <button {...rest} type={type} className={classes} onClick={onClick} />;
  const refuse = (e: MouseEvent) => {
    e.preventDefault();
    setTold(true);
  };
  return (
    <Tooltip.Provider delayDuration={200}>
      <Tooltip.Root open={told} onOpenChange={setTold}>
        <Tooltip.Trigger asChild>
          <button
            {...rest}
            type={type}
            aria-disabled
            disabled={false}
            className={`${classes} opacity-45`}
            onClick={refuse}
          />
        </Tooltip.Trigger>
        <Tooltip.Portal>
          <Tooltip.Content
            side="top"
            sideOffset={4}
            onPointerDownOutside={(e) => e.preventDefault()}
            className="z-50 max-w-72 border border-ink bg-sheet px-3 py-2 text-[14px]"
          >
            {why}
          </Tooltip.Content>
        </Tooltip.Portal>
      </Tooltip.Root>
    </Tooltip.Provider>
  );
}
