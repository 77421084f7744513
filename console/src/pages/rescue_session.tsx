// One rescue session, readable from across the room, with one large button to end it.
import { call } from "../api/call";
import type { Rescue } from "../api/operations";
import { ageText, sizeText } from "../formats/size";
import { secondsSince } from "../formats/time";
import { Action } from "../parts/action";
import { At } from "../parts/at";
import { Link } from "../parts/link";
import { Refused } from "../parts/refused";
import { Empty, Section } from "../parts/section";
import { Table } from "../parts/table";
import { useAnswer } from "../store/answers";
import { now } from "../store/clock";
import { go, pageOf, parts } from "../store/place";
import { may } from "../store/session";

const moodOfStage: Readonly<Record<string, string>> = {
  refused: "bad",
  interrupted: "bad",
  writing: "care",
  loaded: "good",
  back: "good",
};

function Lines({ rescue }: { rescue: Rescue }) {
  return (
    <Section title="What happened">
      {rescue.lines.length === 0 && <Empty>Nothing yet.</Empty>}
      <ul class="lines">
        {[...rescue.lines].reverse().map((line) => (
          <li
            key={`${line.at} ${line.sentence}`}
            class={line.what === "refused" || line.what === "interrupted" ? "bad" : ""}
          >
            <At iso={line.at} now={now.value} /> {line.sentence}
          </li>
        ))}
      </ul>
    </Section>
  );
}

export function RescueSession() {
  const number = Number(parts.value[1]);
  const { answer, refusal, again } = useAnswer("GET /v1/rescues/{number}", { number }, [
    "rescue",
    "ledger",
    "clock",
  ]);
  if (!answer) return <Refused refusal={refusal} />;
  const isOpen = answer.ended_at === "";
  const left = Math.max(0, (new Date(answer.until).getTime() - now.value.getTime()) / 1000);
  return (
    <>
      <div class={`from-afar ${isOpen ? (moodOfStage[answer.stage] ?? "plain") : "plain"}`}>
        <p class="large" role="status">
          {answer.large}
        </p>
        {answer.percent !== null && (
          <progress max={100} value={answer.percent} aria-label="Loaded" />
        )}
        <p class="small">{answer.small}</p>
        <p class="small" aria-hidden="true">
          For {ageText(secondsSince(answer.since, now.value))}
        </p>
      </div>
      {isOpen && may("DELETE /v1/rescues/{number}") && (
        <Action
          label="End the session"
          kind="huge"
          warns="The wire is closed: no addresses and no files any more. A transfer that runs over it is interrupted. What was changed on this server is put back."
          run={async () => {
            await call("DELETE /v1/rescues/{number}", { number });
            again();
          }}
        />
      )}
      <p>
        {answer.device !== "" && (
          <>
            For{" "}
            <Link to={pageOf.device(answer.device)} follow={go}>
              {answer.device}
            </Link>
            ,{" "}
          </>
        )}
        on {answer.interface} as {answer.server}, profile {answer.profile}, opened by{" "}
        {answer.opened_by} <At iso={answer.opened_at} now={now.value} />.{" "}
        {isOpen
          ? `It ends by itself in ${ageText(left)}.`
          : `Ended by ${answer.ended_by}: ${answer.ended_why}.`}
      </p>
      <div class="sections">
        {answer.summary.length > 0 && (
          <Section title="What came of it">
            <ul>
              {answer.summary.map((text) => (
                <li key={text}>{text}</li>
              ))}
            </ul>
          </Section>
        )}
        {answer.undo.length > 0 && (
          <Section title="Put back on your own machine">
            <ul>
              {answer.undo.map((text) => (
                <li key={text}>{text}</li>
              ))}
            </ul>
          </Section>
        )}
        <Section title="Names on this wire">
          <Table
            caption="Names that the device can ask for"
            columns={[
              { name: "Name", isHead: true, cell: (one) => <span class="name">{one.name}</span> },
              { name: "Gives", cell: (one) => one.stands_for },
              { name: "Size", isNumber: true, cell: (one) => sizeText(one.size) },
            ]}
            rows={answer.names}
            keyOf={(one) => one.name}
          />
        </Section>
        <Lines rescue={answer} />
      </div>
    </>
  );
}
