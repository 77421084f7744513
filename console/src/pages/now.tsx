// Now: running transfers, refusals, late backups, and what waits for a person.
import type { LedgerEntry, Transfer } from "../api/operations";
import { ageText, durationText, rateText, sizeText } from "../formats/size";
import { count } from "../formats/words";
import { Ago, At } from "../parts/at";
import { Link } from "../parts/link";
import { Plot } from "../parts/plot";
import { Progress, Sparkline } from "../parts/progress";
import { Refused } from "../parts/refused";
import { Empty, Fact, Facts, Section } from "../parts/section";
import { StateWord } from "../parts/state_word";
import { Table } from "../parts/table";
import { useAnswer } from "../store/answers";
import { now } from "../store/clock";
import { go, pageOf } from "../store/place";
import { may } from "../store/session";
import { transfers } from "../store/stream";
import { type Followed, inOrder } from "../store/transfers";
import { Waiting } from "./waiting";

const ways: Readonly<Record<Transfer["direction"], string>> = {
  fetch: "fetches",
  deposit: "sends",
  "image-add": "hands in",
  push: "is sent",
};

/** A device by its name, or the address that belongs to none. */
export function Who({ device, address }: { device: string; address: string }) {
  return device !== "" ? (
    <Link to={pageOf.device(device)} follow={go}>
      {device}
    </Link>
  ) : /^[0-9a-f.:]+$/i.test(address) ? (
    <Link to={pageOf.address(address)} follow={go}>
      {address}
    </Link>
  ) : (
    <span>{address}</span>
  );
}

function State({ transfer, heard }: { transfer: Transfer; heard: number }) {
  if (transfer.state !== "running") {
    return (
      <span>
        <StateWord word={transfer.state} /> {transfer.why}
      </span>
    );
  }
  if (transfer.stalled_ms !== null) {
    const seconds = (transfer.stalled_ms + Math.max(0, now.value.getTime() - heard)) / 1000;
    return <StateWord word={`stalled for ${ageText(seconds)}`} mood="bad" />;
  }
  return <StateWord word="moving" mood="good" />;
}

const columns = [
  {
    name: "Who",
    isHead: true,
    cell: (one: Followed) => <Who device={one.transfer.device} address={one.transfer.peer} />,
  },
  {
    name: "What",
    cell: (one: Followed) => (
      <span>
        {ways[one.transfer.direction]} <span class="name">{one.transfer.name}</span>{" "}
        <small>
          {one.transfer.protocol.toUpperCase()}
          {one.transfer.node !== "" && `, node ${one.transfer.node}`}
        </small>
        {one.transfer.caution !== "" && <span class="caution">{one.transfer.caution}</span>}
      </span>
    ),
  },
  {
    name: "Done",
    cell: (one: Followed) => (
      <Progress
        bytes={one.transfer.bytes}
        total={one.transfer.total}
        name={`${one.transfer.name}, done`}
      />
    ),
  },
  {
    name: "Rate",
    cell: (one: Followed) => (
      <span class="rate">
        {rateText(one.transfer.rate)} <Sparkline values={one.rates} />
      </span>
    ),
  },
  {
    name: "Left",
    cell: (one: Followed) =>
      one.transfer.seconds_left === null ? "–" : durationText(one.transfer.seconds_left),
  },
  {
    name: "Sent again",
    isNumber: true,
    cell: (one: Followed) => one.transfer.resent.toLocaleString("en-GB"),
  },
  { name: "State", cell: (one: Followed) => <State transfer={one.transfer} heard={one.heard} /> },
];

function Moving() {
  const all = inOrder(transfers.value);
  const running = all.filter((one) => one.transfer.state === "running");
  const stalled = running.filter((one) => one.transfer.stalled_ms !== null).length;
  const rate = running.reduce((sum, one) => sum + one.transfer.rate, 0);
  return (
    <Section title="Moving now" wide>
      <p>
        <span role="status">
          {count(running.length, "transfer")}
          {stalled > 0 ? `, ${stalled} stalled` : ""}
        </span>
        {running.length > 0 && `; together ${rateText(rate)}`}
      </p>
      {all.length === 0 ? (
        <Empty>
          Nothing moves. A device fetches by TFTP, FTP, HTTP or SSH; each transfer shows here while
          it runs.
        </Empty>
      ) : (
        <>
          <Table
            caption="Transfers that run, and that ended a moment ago"
            columns={columns}
            rows={all.slice(0, 200)}
            keyOf={(one) => one.transfer.id}
            rowClass={(one) => one.transfer.state}
          />
          {all.length > 200 && <p>And {all.length - 200} more, which are not shown.</p>}
        </>
      )}
    </Section>
  );
}

function RateOverTime() {
  const { answer } = useAnswer("GET /v1/load", { minutes: 30, samples: 180 }, ["clock"]);
  const samples = answer?.samples ?? [];
  if (samples.length < 3) return null;
  return (
    <Plot
      title="The last half hour"
      times={samples.map((one) => one.at)}
      curves={[
        { name: "to devices", values: samples.map((one) => one.out) },
        { name: "received", values: samples.map((one) => one.in) },
      ]}
      text={rateText}
      now={now.value}
    />
  );
}

const refusedColumns = [
  { name: "When", cell: (row: LedgerEntry) => <At iso={row.at} now={now.value} /> },
  {
    name: "Who",
    isHead: true,
    cell: (row: LedgerEntry) => <Who device={row.device} address={row.actor} />,
  },
  { name: "Asked for", cell: (row: LedgerEntry) => <span class="name">{row.name}</span> },
  { name: "Why", cell: (row: LedgerEntry) => row.sentence },
];

function RefusedLately() {
  const { answer, refusal } = useAnswer("GET /v1/ledger", { outcome: "refused", limit: 8 }, [
    "ledger",
  ]);
  return (
    <Section title="Refused lately">
      <Refused refusal={refusal} />
      {answer && answer.entries.length === 0 && <Empty>Nothing was refused.</Empty>}
      {answer && answer.entries.length > 0 && (
        <>
          <Table
            caption="What was refused lately, and why"
            columns={refusedColumns}
            rows={answer.entries}
            keyOf={(row) => row.id}
          />
          <Link to="/ledger?outcome=refused" follow={go}>
            All that was refused
          </Link>
        </>
      )}
    </Section>
  );
}

function Overdue() {
  const { answer, refusal } = useAnswer("GET /v1/backup-overdue", {}, ["device", "site", "ledger"]);
  return (
    <Section title="Backups overdue">
      <Refused refusal={refusal} />
      {answer && answer.overdue.length === 0 && (
        <Empty>
          {answer.expected_of === 0
            ? "No backups are expected. Say of a device or a site how often one should come."
            : `None is late, of ${count(answer.expected_of, "device")}.`}
        </Empty>
      )}
      {answer && answer.overdue.length > 0 && (
        <Table
          caption="Devices whose backups are late"
          columns={[
            { name: "Device", isHead: true, cell: (row) => <Who device={row.device} address="" /> },
            { name: "Site", cell: (row) => row.site },
            { name: "Expected", cell: (row) => row.every },
            { name: "The last one", cell: (row) => <Ago iso={row.seen_at} now={now.value} /> },
          ]}
          rows={answer.overdue.slice(0, 20)}
          keyOf={(row) => row.device}
        />
      )}
      {answer && answer.overdue.length > 20 && <p>And {answer.overdue.length - 20} more.</p>}
    </Section>
  );
}

function ServerState() {
  const { answer, refusal } = useAnswer("GET /v1/status", {}, ["image", "offer", "ledger"]);
  return (
    <Section title="The server">
      <Refused refusal={refusal} />
      {answer && (
        <Facts>
          <Fact name="Version">{answer.version}</Fact>
          <Fact name="Running since">
            <At iso={answer.started_at} now={now.value} />
          </Fact>
          <Fact name="Free on the disk">{sizeText(answer.disk_free)}</Fact>
          <Fact name="Holds">
            {count(answer.images, "image")}, {count(answer.offers, "name")} on offer,{" "}
            {count(answer.backups, "backup")}
          </Fact>
        </Facts>
      )}
      <Link to="/server" follow={go}>
        Listeners, people, settings
      </Link>
      {answer && answer.images === 0 && may("POST /v1/uploads") && (
        <Empty>
          No image yet.{" "}
          <Link to="/hand-in" follow={go}>
            Hand in the first one
          </Link>
        </Empty>
      )}
    </Section>
  );
}

export function NowPage() {
  return (
    <>
      <div class="sections">
        <Moving />
        <RateOverTime />
      </div>
      <div class="columns">
        <div>
          <Waiting />
          <Overdue />
          <ServerState />
        </div>
        <RefusedLately />
      </div>
    </>
  );
}
