// The ledger: who fetched, sent and changed what; filters are in the address.
import { useState } from "preact/hooks";
import { target } from "../api/call";
import type { LedgerEntry } from "../api/operations";
import { durationText, sizeText } from "../formats/size";
import { fromLocalField, toLocalField, zoneName } from "../formats/time";
import { At } from "../parts/at";
import { Choose, Field } from "../parts/field";
import { Refused } from "../parts/refused";
import { Empty } from "../parts/section";
import { StateWord } from "../parts/state_word";
import { Table } from "../parts/table";
import { useAnswer } from "../store/answers";
import { now } from "../store/clock";
import { filter, setFilter } from "../store/place";
import { Who } from "./now";

const rowsOfPage = 100;
const outcomes = ["complete", "failed", "abandoned", "refused", "done"] as const;
type Outcome = (typeof outcomes)[number];
const outcomeOf = (text: string): Outcome | undefined => outcomes.find((one) => one === text);

const columns = [
  { name: "When", cell: (row: LedgerEntry) => <At iso={row.at} now={now.value} /> },
  { name: "Event", cell: (row: LedgerEntry) => row.event },
  {
    name: "Who",
    isHead: true,
    cell: (row: LedgerEntry) => (
      <span>
        <Who device={row.device} address={row.actor} />
        {row.from !== "" && <small> from {row.from}</small>}
        {row.mirror !== "" && <small> at {row.mirror}</small>}
      </span>
    ),
  },
  { name: "Name", cell: (row: LedgerEntry) => <span class="name">{row.name}</span> },
  { name: "Over", cell: (row: LedgerEntry) => row.protocol },
  {
    name: "Bytes",
    isNumber: true,
    cell: (row: LedgerEntry) =>
      row.bytes > 0 ? `${sizeText(row.bytes)} in ${durationText(row.duration_ms / 1000)}` : "",
  },
  { name: "Outcome", cell: (row: LedgerEntry) => <StateWord word={row.outcome} /> },
  { name: "More", cell: (row: LedgerEntry) => row.sentence },
];

export function LedgerPage() {
  const [pages, setPages] = useState<readonly number[]>([]);
  const before = pages.at(-1);
  const asked = {
    whose: filter("whose"),
    by: filter("by"),
    event: filter("event"),
    name: filter("name"),
    outcome: outcomeOf(filter("outcome")),
    from: filter("from"),
    until: filter("until"),
  };
  const { answer, refusal } = useAnswer(
    "GET /v1/ledger",
    { ...asked, limit: rowsOfPage, before },
    before === undefined ? ["ledger"] : [],
  );
  const people = useAnswer("GET /v1/people", {}, ["person"]).answer?.people ?? [];
  const entries = answer?.entries ?? [];
  const last = entries.at(-1);
  const set = (name: string) => (value: string) => {
    setPages([]);
    setFilter(name, value);
  };
  const time = (name: string) => (value: string) => set(name)(fromLocalField(value));
  const zone = zoneName(now.value);
  return (
    <>
      <form class="filters" aria-label="Filters" onSubmit={(event) => event.preventDefault()}>
        <Field label="Device or address" value={asked.whose} set={set("whose")} />
        <Field
          label="Person"
          value={asked.by}
          set={set("by")}
          names={people.map((one) => one.name)}
        />
        <Field
          label="Events"
          hint="Separated by commas"
          value={asked.event}
          set={set("event")}
          example="fetch,deposit"
        />
        <Field label="Name" hint="* stands for anything" value={asked.name} set={set("name")} />
        <Choose
          label="Outcome"
          value={asked.outcome ?? ""}
          set={set("outcome")}
          choices={[
            { value: "", text: "any" },
            ...outcomes.map((value) => ({ value, text: value })),
          ]}
        />
        <Field
          label={`From (${zone})`}
          type="datetime-local"
          value={toLocalField(asked.from)}
          set={time("from")}
        />
        <Field
          label={`Until (${zone})`}
          type="datetime-local"
          value={toLocalField(asked.until)}
          set={time("until")}
        />
        <a
          class="button"
          download="ledger.csv"
          href={target("GET /v1/ledger-export", { ...asked, form: "csv" })}
        >
          Save as CSV
        </a>
      </form>
      <Refused refusal={refusal} take={set("whose")} />
      {answer && entries.length === 0 && <Empty>No row of the ledger fits.</Empty>}
      {entries.length > 0 && (
        <Table
          caption="Rows of the ledger, the newest first"
          columns={columns}
          rows={entries}
          keyOf={(row) => row.id}
        />
      )}
      <nav class="pager" aria-label="Pages of the ledger">
        <button
          type="button"
          disabled={pages.length === 0}
          onClick={() => setPages(pages.slice(0, -1))}
        >
          Newer
        </button>
        <button
          type="button"
          disabled={entries.length < rowsOfPage || !last}
          onClick={() => last && setPages([...pages, last.id])}
        >
          Older
        </button>
      </nav>
    </>
  );
}
