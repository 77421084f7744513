// The server: its addresses and access rules, people, accounts, settings in force, verification,
// mirrors, load.
import type { FunctionComponent } from "preact";
import { sizeText } from "../formats/size";
import { count } from "../formats/words";
import { At } from "../parts/at";
import { Refused } from "../parts/refused";
import { Empty, Fact, Facts, Section } from "../parts/section";
import { StateWord } from "../parts/state_word";
import { Table } from "../parts/table";
import { Tabs } from "../parts/tabs";
import { useAnswer } from "../store/answers";
import { now } from "../store/clock";
import { go, parts } from "../store/place";
import { AccountsOf } from "./accounts";
import { LoadOf } from "./load";
import { MirrorsOf } from "./mirrors";
import { PeopleOf } from "./people";
import { SettingsOf } from "./settings";
import { VerificationOf } from "./verification";
import { YourTokens } from "./your_tokens";

function Overview() {
  const { answer, refusal } = useAnswer("GET /v1/status", {}, ["clock", "account"]);
  if (!answer) return <Refused refusal={refusal} />;
  return (
    <div class="sections">
      <Section title="State">
        {answer.trouble.length === 0 ? (
          <p>
            <StateWord word="all is well" mood="good" />
          </p>
        ) : (
          <ul class="waits">
            {answer.trouble.map((text) => (
              <li key={text}>
                <StateWord word="trouble" mood="bad" /> {text}
              </li>
            ))}
          </ul>
        )}
        <Facts>
          <Fact name="Version">{answer.version}</Fact>
          <Fact name="Running since">
            <At iso={answer.started_at} now={now.value} />
          </Fact>
          <Fact name="State folder">
            <span class="name">{answer.state_folder}</span>
          </Fact>
          {answer.node === "" ? null : (
            <Fact name="Node">
              {answer.node}; {answer.nodes_alive} of {answer.nodes} nodes report
            </Fact>
          )}
          {answer.mirror_of === "" ? null : <Fact name="Mirror of">{answer.mirror_of}</Fact>}
          <Fact name="Free on the disk">{sizeText(answer.disk_free)}</Fact>
          <Fact name="Holds">
            {count(answer.images, "image")}, {count(answer.offers, "name")} on offer,{" "}
            {count(answer.backups, "backup revision")}
          </Fact>
          <Fact name="Encryption">
            {answer.encryption.key === ""
              ? "none: no key is set"
              : `key ${answer.encryption.key}, ${answer.encryption.done} of ${answer.encryption.contents} configurations`}
          </Fact>
        </Facts>
      </Section>
      <Section title="Where it listens">
        <Table
          caption="Listeners"
          columns={[
            { name: "Protocol", isHead: true, cell: (one) => one.protocol },
            { name: "Address", cell: (one) => <span class="name">{one.address}</span> },
            {
              name: "On the way",
              cell: (one) =>
                one.protects ? (
                  <StateWord word="protected" mood="good" />
                ) : (
                  <StateWord word="readable" mood="plain" />
                ),
            },
            {
              name: "Certificate (SHA-256)",
              cell: (one) => <span class="digest">{one.fingerprint || "–"}</span>,
            },
          ]}
          rows={answer.listeners}
          keyOf={(one) => `${one.protocol} ${one.address}`}
        />
      </Section>
      <Section title="What is open to whom">
        {answer.openings.length === 0 ? (
          <Empty>Nothing is open to anybody.</Empty>
        ) : (
          <Table
            caption="What is open; everything else is closed"
            columns={[
              { name: "From", isHead: true, cell: (one) => one.from },
              { name: "May", cell: (one) => one.may },
              { name: "Over", cell: (one) => one.over },
              {
                name: "Who",
                cell: (one) => (one.needs_account ? "accounts that may" : "everybody"),
              },
            ]}
            rows={answer.openings}
            keyOf={(one) => `${one.from} ${one.may} ${one.over} ${one.needs_account}`}
          />
        )}
      </Section>
      <Section title="How busy each server is">
        <Table
          caption="Servers"
          columns={[
            { name: "Server", isHead: true, cell: (one) => one.name },
            { name: "Open", isNumber: true, cell: (one) => one.open },
            { name: "At most", isNumber: true, cell: (one) => one.most ?? "–" },
            { name: "Turned away", isNumber: true, cell: (one) => one.turned_away },
            {
              name: "State",
              cell: (one) =>
                one.paused ? (
                  <StateWord word="paused" mood="bad" />
                ) : (
                  <StateWord word="accepts" mood="good" />
                ),
            },
          ]}
          rows={answer.fronts}
          keyOf={(one) => one.name}
        />
      </Section>
      {answer.ssh.host_keys.length > 0 && (
        <Section title="SSH host keys" note="Compare them at the console.">
          <Facts>
            {answer.ssh.host_keys.map((one) => (
              <Fact key={one.fingerprint} name={one.type}>
                <span class="digest">{one.fingerprint}</span>
              </Fact>
            ))}
          </Facts>
        </Section>
      )}
    </div>
  );
}

const tabs: readonly { id: string; name: string; Show: FunctionComponent }[] = [
  { id: "", name: "Overview", Show: Overview },
  { id: "load", name: "Load", Show: LoadOf },
  { id: "people", name: "People", Show: PeopleOf },
  { id: "accounts", name: "Accounts", Show: AccountsOf },
  { id: "settings", name: "Settings", Show: SettingsOf },
  { id: "verification", name: "Verification", Show: VerificationOf },
  { id: "mirrors", name: "Mirrors", Show: MirrorsOf },
  { id: "you", name: "You", Show: YourTokens },
];

export function ServerPage() {
  const id = parts.value[1] ?? "";
  const shown = tabs.find((one) => one.id === id) ?? { id, name: "", Show: Overview };
  return (
    <>
      <Tabs
        label="Parts of this page"
        current={id}
        follow={go}
        tabs={tabs.map((one) => ({ ...one, to: one.id === "" ? "/server" : `/server/${one.id}` }))}
      />
      <shown.Show />
    </>
  );
}
