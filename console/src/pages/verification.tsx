// Verification: stored bytes are read again and compared; files without a record.
import { call } from "../api/call";
import type { Unrecorded } from "../api/operations";
import { sizeText } from "../formats/size";
import { count } from "../formats/words";
import { Action } from "../parts/action";
import { At } from "../parts/at";
import { Progress } from "../parts/progress";
import { Refused } from "../parts/refused";
import { Empty, Section } from "../parts/section";
import { StateWord } from "../parts/state_word";
import { Table } from "../parts/table";
import { useAnswer } from "../store/answers";
import { now } from "../store/clock";
import { may } from "../store/session";

function Reading() {
  const { answer, refusal, again } = useAnswer("GET /v1/verification", {}, ["clock", "ledger"]);
  return (
    <Section
      title="Read everything again"
      note="Every stored file is read and compared with its checksum. What differs goes to quarantine and off offer."
    >
      <Refused refusal={refusal} />
      {answer && (
        <>
          {answer.began_at === "" ? (
            <Empty>Not since the server's start.</Empty>
          ) : (
            <p>
              <StateWord
                word={answer.running ? "running" : answer.damaged > 0 ? "damaged" : "done"}
                mood={answer.running ? "plain" : answer.damaged > 0 ? "bad" : "good"}
              />{" "}
              {answer.contents_read} of {count(answer.contents, "file")},{" "}
              <Progress bytes={answer.bytes_read} total={answer.bytes} name="Read" />,{" "}
              {answer.damaged} damaged. Begun <At iso={answer.began_at} now={now.value} />
              {answer.ended_at !== "" && (
                <>
                  , ended <At iso={answer.ended_at} now={now.value} />
                </>
              )}
              .
            </p>
          )}
          {answer.trouble !== "" && <p class="caution">{answer.trouble}</p>}
          {answer.damages.map((one) => (
            <p key={one.sha256} class="caution">
              {one.names}: {one.found}
            </p>
          ))}
          {may("POST /v1/verification") && !answer.running && (
            <Action
              label="Read everything again now"
              warns="It reads all stored bytes, at the rate of the settings, beside the transfers."
              run={async () => {
                await call("POST /v1/verification", {}, {});
                again();
              }}
            />
          )}
        </>
      )}
    </Section>
  );
}

function Decide({ file, again }: { file: Unrecorded; again: () => void }) {
  if (!may("POST /v1/unrecorded/{name}")) return null;
  return (
    <span class="actions">
      <Action
        label="Keep"
        kind="small"
        run={async () => {
          await call("POST /v1/unrecorded/{name}", { name: file.name });
          again();
        }}
      />
      <Action
        label="Remove"
        kind="danger"
        warns="The file is removed for good."
        run={async () => {
          await call("DELETE /v1/unrecorded/{name}", { name: file.name });
          again();
        }}
      />
    </span>
  );
}

function WithoutRecord() {
  const { answer, refusal, again } = useAnswer("GET /v1/unrecorded", {}, ["image"]);
  return (
    <Section
      title="Stored files without a record"
      note="Of a crash, or of an older database. They stay until somebody decides."
    >
      <Refused refusal={refusal} />
      {answer && answer.files.length === 0 && <Empty>None.</Empty>}
      {answer && answer.files.length > 0 && (
        <Table
          caption="Files without a record"
          columns={[
            {
              name: "SHA-256",
              isHead: true,
              cell: (one) => <span class="digest">{one.name}</span>,
            },
            { name: "Size", isNumber: true, cell: (one) => sizeText(one.size) },
            { name: "Since", cell: (one) => <At iso={one.since} now={now.value} /> },
            { name: "Decide", cell: (one) => <Decide file={one} again={again} /> },
          ]}
          rows={answer.files}
          keyOf={(one) => one.name}
        />
      )}
    </Section>
  );
}

export function VerificationOf() {
  return (
    <div class="sections">
      <Reading />
      <WithoutRecord />
    </div>
  );
}
