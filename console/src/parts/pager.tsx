// Which rows of how many are shown, and links to the others. andMore: there are more than
// inAll, and nobody counted them.
export function Pager({
  skip,
  shown,
  inAll,
  andMore = false,
  page,
  what,
  set,
}: {
  skip: number;
  shown: number;
  inAll: number;
  andMore?: boolean;
  page: number;
  what: string;
  set: (skip: number) => void;
}) {
  const from = inAll === 0 ? 0 : skip + 1;
  const isLast = andMore ? shown < page : skip + shown >= inAll;
  const number = (value: number) => value.toLocaleString("en-GB");
  return (
    <nav class="pager" aria-label={`Pages of ${what}`}>
      <span>
        {number(from)}–{number(skip + shown)} of {andMore ? "more than " : ""}
        {number(inAll)} {what}
      </span>
      <button type="button" disabled={skip === 0} onClick={() => set(Math.max(0, skip - page))}>
        Previous
      </button>
      <button type="button" disabled={isLast} onClick={() => set(skip + page)}>
        Next
      </button>
    </nav>
  );
}
