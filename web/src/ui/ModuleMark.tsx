/**
 * A module's mark: hollow square, square with a number, broken outline when silent, saw-tooth when
 * it comes and goes, dots when it was not asked.
 */
export function ModuleMark(props: {
  asked: boolean;
  answered: boolean;
  codes: number;
  flaps?: boolean;
}) {
  const { asked, answered, codes, flaps } = props;
  const silent = asked && !answered;
  const label = !asked
    ? "not asked"
    : flaps
      ? "comes and goes"
      : silent
        ? "silent"
        : `answers, ${codes} codes`;
  return (
    <svg width="30" height="30" role="img" aria-label={label} className="shrink-0">
      {flaps ? (
        <path
          d="M3 7l4-4 4 4 4-4 4 4 4-4 4 4v16l-4 4-4-4-4 4-4-4-4 4-4-4z"
          fill="none"
          stroke="currentColor"
          strokeWidth="2"
        />
      ) : (
        <rect
          x="3"
          y="3"
          width="24"
          height="24"
          fill="none"
          stroke="currentColor"
          strokeWidth="2"
          strokeDasharray={!asked ? "1.5 4.5" : silent ? "7 5" : undefined}
        />
      )}
      {answered && codes > 0 && (
        <text x="15" y="20.5" textAnchor="middle" fontSize="15" fill="currentColor" className="num">
          {codes}
        </text>
      )}
    </svg>
  );
}
