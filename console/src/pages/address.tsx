// The story of one address, in the order of time.
import { At } from "../parts/at";
import { Link } from "../parts/link";
import { Refused } from "../parts/refused";
import { Empty, Section } from "../parts/section";
import { StateWord } from "../parts/state_word";
import { Table } from "../parts/table";
import { useAnswer } from "../store/answers";
import { now } from "../store/clock";
import { go, pageOf, parts } from "../store/place";
import { BackupsOf } from "./device";

export function StoryOf({ address }: { address: string }) {
  const { answer, refusal } = useAnswer("GET /v1/contacts/{address}", { address }, ["ledger"]);
  const lines = [...(answer?.lines ?? [])].reverse();
  return (
    <Section title={`What happened with ${address}`} wide>
      <Refused refusal={refusal} />
      {answer && lines.length === 0 && (
        <Empty>
          It was not heard. Either nothing came from it, or something between it and this server
          drops it.
        </Empty>
      )}
      {lines.length > 0 && (
        <Table
          caption={`What happened with ${address}, the newest first`}
          columns={[
            { name: "When", cell: (line) => <At iso={line.at} now={now.value} /> },
            { name: "State", cell: (line) => <StateWord word={line.state} /> },
            {
              name: "What happened",
              isHead: true,
              cell: (line) => <span class={line.caution ? "caution" : ""}>{line.sentence}</span>,
            },
            { name: "Heard on", cell: (line) => line.heard_on },
          ]}
          rows={lines.slice(0, 50)}
          keyOf={(line) => `${line.at} ${line.sentence}`}
        />
      )}
    </Section>
  );
}

export function AddressPage() {
  const address = parts.value[1] ?? "";
  const { answer } = useAnswer("GET /v1/contacts/{address}", { address }, ["ledger"]);
  return (
    <div class="sections">
      {answer && answer.device !== "" && (
        <p class="wide">
          It belongs to{" "}
          <Link to={pageOf.device(answer.device)} follow={go}>
            {answer.device}
          </Link>
          {answer.job !== "" && `; its open job installs ${answer.job}`}.
        </p>
      )}
      <StoryOf address={address} />
      <BackupsOf holder={answer?.device || address} />
    </div>
  );
}
