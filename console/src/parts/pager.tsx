// Which rows of how many are shown, and links to the others.
export function Pager({
  skip,
  shown,
  inAll,
  page,
  what,
  set,
}: {
  skip: number;
  shown: number;
  inAll: number;
  page: number;
  what: string;
  set: (skip: number) => void;
}) {
  const from = inAll === 0 ? 0 : skip + 1;
  const number = (value: number) => value.toLocaleString("en-GB");
  return (
    <nav class="pager" aria-label={`Pages of ${what}`}>
      <span>
        {number(from)}–{number(skip + shown)} of {number(inAll)} {what}
      </span>
      <button type="button" disabled={skip === 0} onClick={() => set(Math.max(0, skip - page))}>
        Previous
      </button>
      <button type="button" disabled={skip + shown >= inAll} onClick={() => set(skip + page)}>
        Next
      </button>
    </nav>
  );
}
