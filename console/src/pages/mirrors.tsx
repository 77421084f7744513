// Mirrors: this server's at their sites, and this server as a mirror.
import { call } from "../api/call";
import type { Mirror, MirrorState } from "../api/operations";
import { durationText, rateText, sizeText } from "../formats/size";
import { count } from "../formats/words";
import { Action } from "../parts/action";
import { At } from "../parts/at";
import { Progress } from "../parts/progress";
import { Refused } from "../parts/refused";
import { Empty, Fact, Facts, Section } from "../parts/section";
import { StateWord } from "../parts/state_word";
import { Table } from "../parts/table";
import { useAnswer } from "../store/answers";
import { now } from "../store/clock";
import { may } from "../store/session";

function moodOf(state: Mirror["state"]) {
  return state === "current" ? "good" : state === "behind" ? "plain" : "bad";
}

function lacks(one: Mirror) {
  if (one.lacking === 0) return "nothing";
  return `${count(one.lacking, "image")}, ${sizeText(one.missing)}`;
}

function Sites() {
  const { answer, refusal, again } = useAnswer("GET /v1/mirrors", {}, ["clock", "image", "offer"]);
  if (!answer) return <Refused refusal={refusal} />;
  if (answer.mirrors.length === 0) {
    return (
      <Empty>No mirrors. A site gets one with [mirror] in its settings: see docs/mirrors.md.</Empty>
    );
  }
  const mayTell = may("POST /v1/mirrors/{name}/sync");
  return (
    <Table
      caption="Mirrors of this server"
      columns={[
        { name: "Mirror", isHead: true, cell: (one) => <span class="name">{one.name}</span> },
        {
          name: "State",
          cell: (one) => (
            <>
              <StateWord word={one.state} mood={moodOf(one.state)} />
              {one.trouble === "" ? null : <span class="caution"> {one.trouble}</span>}
            </>
          ),
        },
        { name: "Asked", cell: (one) => <At iso={one.seen_at} now={now.value} /> },
        { name: "Holds", isNumber: true, cell: (one) => one.held },
        { name: "Lacks", cell: lacks },
        {
          name: "Rate",
          cell: (one) => (one.lacking > 0 && one.rate > 0 ? rateText(one.rate) : "–"),
        },
        {
          name: "Served in 7 days",
          cell: (one) => `${count(one.served, "transfer")}, ${sizeText(one.served_bytes)}`,
        },
        { name: "Wants", cell: (one) => one.wants },
        {
          name: "Action",
          cell: (one) =>
            one.sync ? (
              "will fetch now"
            ) : mayTell && one.lacking > 0 ? (
              <Action
                label="Fetch now"
                kind="small"
                run={async () => {
                  await call("POST /v1/mirrors/{name}/sync", { name: one.name });
                  again();
                }}
              />
            ) : null,
        },
      ]}
      rows={answer.mirrors}
      keyOf={(one) => one.name}
    />
  );
}

function NotHere({ state }: { state: MirrorState }) {
  if (state.lacking.length === 0) return <Empty>Everything that is wanted is here.</Empty>;
  return (
    <Table
      caption="Images that are not here yet, the next first"
      columns={[
        { name: "Image", isHead: true, cell: (one) => <span class="name">{one.name}</span> },
        {
          name: "Here",
          cell: (one) => <Progress bytes={one.have} total={one.size} name={one.name} />,
        },
        {
          name: "Ready in",
          cell: (one) => (one.seconds_left === null ? "unknown" : durationText(one.seconds_left)),
        },
        { name: "Wanted for", cell: (one) => one.why },
        { name: "Trouble", cell: (one) => one.trouble || "–" },
      ]}
      rows={state.lacking}
      keyOf={(one) => one.name}
    />
  );
}

function Here() {
  const { answer, again } = useAnswer("GET /v1/mirror", {}, ["clock", "image", "offer"]);
  if (!answer || answer.of === "") return null;
  return (
    <Section title={`This server mirrors ${answer.of}`}>
      <Facts>
        <Fact name="Wants">{answer.wants}</Fact>
        <Fact name="Names and rules as of">
          {answer.as_of === null ? "never heard" : <At iso={answer.as_of} now={now.value} />}
        </Fact>
        {answer.unreachable === "" ? null : (
          <Fact name="Headquarters">
            <StateWord word="not reached" mood="bad" /> {answer.unreachable}
          </Fact>
        )}
        {answer.hours === "" ? null : (
          <Fact name="Fetches images">
            {answer.hours}
            {answer.in_hours ? "" : ", not now"}
          </Fact>
        )}
        <Fact name="Not sent to headquarters yet">{count(answer.rows_waiting, "row")}</Fact>
        {answer.trouble === "" ? null : <Fact name="Trouble">{answer.trouble}</Fact>}
      </Facts>
      <NotHere state={answer} />
      {may("POST /v1/mirror/sync") && (
        <Action
          label="Fetch now"
          run={async () => {
            await call("POST /v1/mirror/sync", {});
            again();
          }}
        />
      )}
    </Section>
  );
}

export function MirrorsOf() {
  return (
    <div class="sections">
      <Here />
      <Section title="Mirrors at sites">
        <Sites />
      </Section>
    </div>
  );
}
