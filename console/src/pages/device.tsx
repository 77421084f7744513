// One device: its state, its story, its backups.
import { useState } from "preact/hooks";
import { call } from "../api/call";
import type { Backup, Device, ReportRead } from "../api/operations";
import { sizeText } from "../formats/size";
import { count } from "../formats/words";
import { Action } from "../parts/action";
import { At } from "../parts/at";
import { TextArea } from "../parts/field";
import { Link } from "../parts/link";
import { Refused } from "../parts/refused";
import { Empty, Fact, Facts, Section } from "../parts/section";
import { StateWord } from "../parts/state_word";
import { Table } from "../parts/table";
import { useAnswer } from "../store/answers";
import { now } from "../store/clock";
import { go, pageOf, parts } from "../store/place";
import { may } from "../store/session";
import { StoryOf } from "./address";
import { DeviceForm, useDeviceFields } from "./device_form";

function Change({ device, again }: { device: Device; again: () => void }) {
  const form = useDeviceFields(device);
  return (
    <Action
      label="Change"
      run={async () => {
        await call("PATCH /v1/devices/{name}", { name: device.name }, form.typed);
        again();
      }}
    >
      <DeviceForm form={form} />
    </Action>
  );
}

function ReadListing({ device, again }: { device: Device; again: () => void }) {
  const [text, setText] = useState("");
  const [read, setRead] = useState<ReportRead>();
  return (
    <Action
      label="Read a listing"
      warns="Paste what the device shows of its version and slots. Press once to see what is understood, and once more to keep it."
      run={async () => {
        const keep = read !== undefined;
        const answer = await call(
          "POST /v1/devices/{name}/report",
          { name: device.name },
          { text, really: keep },
        );
        setRead(keep ? undefined : answer);
        if (!keep) return "stay";
        again();
        return "done";
      }}
    >
      <TextArea
        label="The listing"
        value={text}
        set={(value) => {
          setText(value);
          setRead(undefined);
        }}
        rows={8}
      />
      <p role="status">
        {read &&
          `${count(read.learnt.length, "value")} understood; nothing is kept yet. Press again to keep them.`}
      </p>
      {read && (
        <ul>
          {read.learnt.map((one) => (
            <li key={`${one.member} ${one.field} ${one.item}`}>
              {one.field} {one.item}: {one.value}
            </li>
          ))}
          {read.doubts.map((one) => (
            <li key={one} class="caution">
              {one}
            </li>
          ))}
          {read.not_understood.length > 0 && (
            <li>{count(read.not_understood.length, "line")} not understood</li>
          )}
        </ul>
      )}
    </Action>
  );
}

function Remove({ device }: { device: Device }) {
  return (
    <Action
      label="Remove"
      kind="danger"
      warns={`${device.name} is not known any more. Its backups stay, under its addresses; the ledger keeps what happened.`}
      run={async () => {
        await call("DELETE /v1/devices/{name}", { name: device.name });
        go("/devices");
      }}
    />
  );
}

function State({ device }: { device: Device }) {
  return (
    <Section title="State of its software">
      {device.state.length === 0 ? (
        <Empty>Nothing is known. Read a listing of the device, or type its running version.</Empty>
      ) : (
        <Table
          caption="What is known, since when and from whom"
          columns={[
            {
              name: "What",
              isHead: true,
              cell: (one) =>
                [one.member, one.field.replaceAll("_", " "), one.item]
                  .filter((text) => text !== "")
                  .join(" "),
            },
            {
              name: "Value",
              cell: (one) => (
                <span class="name">
                  {one.field === "free" ? sizeText(Number(one.value)) : one.value}
                </span>
              ),
            },
            { name: "Since", cell: (one) => <At iso={one.at} now={now.value} /> },
            { name: "From", cell: (one) => one.source },
          ]}
          rows={device.state}
          keyOf={(one) => `${one.member} ${one.field} ${one.item}`}
        />
      )}
    </Section>
  );
}

const backupColumns = [
  { name: "Revision", isHead: true, cell: (one: Backup) => one.revision },
  { name: "Came", cell: (one: Backup) => <At iso={one.arrived_at} now={now.value} /> },
  { name: "Seen last", cell: (one: Backup) => <At iso={one.last_seen_at} now={now.value} /> },
  { name: "Size", isNumber: true, cell: (one: Backup) => sizeText(one.size) },
  {
    name: "State",
    cell: (one: Backup) => (
      <span>
        <StateWord word={one.complete ? "complete" : "partial"} />{" "}
        {one.changed && one.revision > 1 && "changed"} {one.pinned && "kept for ever"}{" "}
        {one.recognised} {one.image}
        {one.finding !== "" && <span class="caution">{one.finding}</span>}
      </span>
    ),
  },
  {
    name: "Compare",
    cell: (one: Backup) =>
      one.text && one.revision > 1 ? (
        <Link
          to={pageOf.comparison(one.holder, one.name, one.revision - 1, one.revision)}
          follow={go}
        >
          with {one.revision - 1}
        </Link>
      ) : (
        "–"
      ),
  },
];

export function BackupsOf({ holder }: { holder: string }) {
  const { answer, refusal } = useAnswer("GET /v1/backups", { holder }, ["ledger", "device"]);
  const newestFirst = [...(answer?.backups ?? [])].sort(
    (a, b) => a.name.localeCompare(b.name) || b.revision - a.revision,
  );
  return (
    <Section title="Backups" wide>
      <Refused refusal={refusal} />
      {answer && newestFirst.length === 0 && (
        <Empty>
          None yet. The device writes to this server under any name, and it is kept here.
        </Empty>
      )}
      {newestFirst.length > 0 && (
        <Table
          caption="Revisions of each file, the newest first"
          columns={backupColumns}
          rows={newestFirst}
          keyOf={(one) => `${one.name} ${one.revision}`}
          groupOf={(one) => one.name}
        />
      )}
      {answer && answer.next !== "" && <p>More than 2,000; 'vantro backup list' shows all.</p>}
    </Section>
  );
}

export function DevicePage() {
  const name = parts.value[1] ?? "";
  const { answer, refusal, again } = useAnswer("GET /v1/devices/{name}", { name }, [
    "device",
    "job",
  ]);
  if (!answer) return <Refused refusal={refusal} take={(nearest) => go(pageOf.device(nearest))} />;
  const addresses = answer.addresses.split(" ").filter((one) => one !== "" && !one.includes("/"));
  return (
    <>
      <p class="actions">
        {answer.job !== "" ? (
          <Link to={pageOf.job(name)} follow={go}>
            Open job: {answer.job}
          </Link>
        ) : (
          may("POST /v1/jobs") && (
            <Link to={`/plan?device=${encodeURIComponent(name)}`} follow={go}>
              Plan a change
            </Link>
          )
        )}
        {may("POST /v1/rescues") && (
          <Link to={`/rescue?device=${encodeURIComponent(name)}`} follow={go}>
            Rescue it
          </Link>
        )}
        {may("PATCH /v1/devices/{name}") && <Change device={answer} again={again} />}
        {may("POST /v1/devices/{name}/report") && <ReadListing device={answer} again={again} />}
        {may("DELETE /v1/devices/{name}") && <Remove device={answer} />}
      </p>
      <div class="sections">
        <Section title="What it is">
          <Facts>
            <Fact name="Site">{answer.site || "–"}</Fact>
            <Fact name="Platform">{answer.platform || "–"}</Fact>
            <Fact name="Hardware">{answer.hardware || "–"}</Fact>
            <Fact name="Running version">{answer.running_version || "–"}</Fact>
            <Fact name="Addresses">{answer.addresses || "–"}</Fact>
            <Fact name="Link address">{answer.link_address || "–"}</Fact>
            <Fact name="Backup every">{answer.backup_every || "as its site"}</Fact>
          </Facts>
          {answer.remarks !== "" && <p class="remarks">{answer.remarks}</p>}
          {answer.unclaimed.map((address) => (
            <p key={address} class="caution">
              Backups came from {address} before it was this device's.{" "}
              {may("POST /v1/devices/{name}/claim") && (
                <Action
                  label="Make them its own"
                  run={async () => {
                    await call("POST /v1/devices/{name}/claim", { name }, { address });
                    again();
                  }}
                />
              )}
            </p>
          ))}
        </Section>
        <State device={answer} />
        {addresses.map((address) => (
          <StoryOf key={address} address={address} />
        ))}
        <BackupsOf holder={name} />
      </div>
    </>
  );
}
