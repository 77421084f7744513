// One job: its progress, readiness, what to type, what to report.
import { useState } from "preact/hooks";
import { call } from "../api/call";
import type { Job, JobMarkWanted } from "../api/operations";
import { fullTime } from "../formats/time";
import { Action } from "../parts/action";
import { Ago, At } from "../parts/at";
import { Copied } from "../parts/copied";
import { Choose, Field } from "../parts/field";
import { Link } from "../parts/link";
import { Refused } from "../parts/refused";
import { Empty, Fact, Facts, Section } from "../parts/section";
import { StateWord } from "../parts/state_word";
import { Table } from "../parts/table";
import { useAnswer } from "../store/answers";
import { now } from "../store/clock";
import { filter, go, pageOf, parts, setFilter } from "../store/place";
import { may, me } from "../store/session";
import { ReadinessOf } from "./readiness";

const changesOfJobs = ["job", "ledger", "device"];

interface Props {
  readonly job: Job;
  readonly again: () => void;
}

const marks: readonly { mark: JobMarkWanted["mark"]; label: string; warns: string }[] = [
  {
    mark: "written",
    label: "It is written",
    warns: "You saw that the device has stored the image.",
  },
  { mark: "next", label: "It starts next", warns: "You saw that the device will start it next." },
  { mark: "running", label: "It runs", warns: "You saw that the device runs it." },
  {
    mark: "confirmed",
    label: "All is well",
    warns: "The job ends: the device does what it should. The offers made for it end.",
  },
  {
    mark: "failed",
    label: "It failed",
    warns: "The job ends as failed. The offers made for it end.",
  },
];

function Mark({ job, again, mark, label, warns }: Props & (typeof marks)[number]) {
  const [remark, setRemark] = useState("");
  return (
    <Action
      label={label}
      warns={warns}
      kind={mark === "failed" ? "danger" : mark === "confirmed" ? "main" : "small"}
      run={async () => {
        await call("POST /v1/jobs/{device}/marks", { device: job.device }, { mark, remark });
        again();
      }}
    >
      <Field label="Remark" value={remark} set={setRemark} />
    </Action>
  );
}

function Withdraw({ job, again }: Props) {
  const [reason, setReason] = useState("");
  return (
    <Action
      label="Withdraw"
      kind="danger"
      warns="The change is not made. The offers made for it end; a fetch that runs goes on."
      run={async () => {
        await call("DELETE /v1/jobs/{device}", { device: job.device, reason });
        again();
      }}
    >
      <Field label="Reason" value={reason} set={setReason} />
    </Action>
  );
}

function Actions({ job, again }: Props) {
  if (job.state !== "open") return null;
  const isOwn = job.owner === me.value?.name;
  return (
    <p class="actions">
      {may("POST /v1/jobs/{device}/marks") &&
        marks.map((one) => <Mark key={one.mark} job={job} again={again} {...one} />)}
      {may("POST /v1/jobs/{device}/acknowledgement") && (
        <Action
          label="I have read the remarks"
          kind="small"
          run={async () => {
            await call("POST /v1/jobs/{device}/acknowledgement", { device: job.device });
            again();
          }}
        />
      )}
      {may("POST /v1/jobs/{device}/owner") && !isOwn && (
        <Action
          label="Take it over"
          warns={`${job.owner} has it now, and sees that you took it.`}
          run={async () => {
            await call("POST /v1/jobs/{device}/owner", { device: job.device });
            again();
          }}
        />
      )}
      {may("DELETE /v1/jobs/{device}") && <Withdraw job={job} again={again} />}
    </p>
  );
}

const forms = [
  { value: "running", text: "The device runs" },
  { value: "boot-prompt", text: "At the boot loader's prompt" },
  { value: "maintenance", text: "In maintenance mode" },
];

function SheetOf({ job }: { job: Job }) {
  const form = filter("form") || "running";
  const over = filter("over");
  const { answer, refusal } = useAnswer(
    "GET /v1/jobs/{device}/sheet",
    { device: job.device, form, over },
    changesOfJobs,
  );
  return (
    <Section title="What to type on the device" note="In the order in which it is asked for." wide>
      <div class="filters no-print">
        <Choose
          label="Where you type"
          value={form}
          set={(value) => setFilter("form", value)}
          choices={forms}
        />
        <Choose
          label="Over"
          value={over}
          set={(value) => setFilter("over", value)}
          choices={[
            { value: "", text: "the first that is open" },
            ...["tftp", "ftp", "http", "scp", "sftp"].map((value) => ({
              value,
              text: value.toUpperCase(),
            })),
          ]}
        />
        <button type="button" onClick={() => print()}>
          Print
        </button>
      </div>
      <Refused refusal={refusal} />
      {answer && (
        <ol class="sheet">
          {answer.values.map((one) => (
            <li key={one.name}>
              <span class="what">{one.name}</span>
              <span class="value">{one.value}</span> <Copied text={one.value} name={one.name} />
              {one.note !== "" && <span class="caution">{one.note}</span>}
            </li>
          ))}
        </ol>
      )}
    </Section>
  );
}

function Images({ job }: { job: Job }) {
  return (
    <Section title="Images, in the order of installing">
      <Table
        caption="Images of the job"
        columns={[
          { name: "No.", cell: (one) => one.number },
          {
            name: "Image",
            isHead: true,
            cell: (one) => (
              <Link to={pageOf.image(one.image)} follow={go}>
                {one.image}
              </Link>
            ),
          },
          { name: "Stage", cell: (one) => (one.passed ? "passed" : one.stage) },
          { name: "Why", cell: (one) => one.why || "the aim" },
          { name: "Type", cell: (one) => <span class="name">{one.offered_as || one.image}</span> },
        ]}
        rows={job.images}
        keyOf={(one) => one.number}
      />
    </Section>
  );
}

function Lines({ job }: { job: Job }) {
  return (
    <Section title="What happened">
      {job.lines.length === 0 ? (
        <Empty>Nothing yet.</Empty>
      ) : (
        <ul class="lines">
          {[...job.lines].reverse().map((line) => (
            <li key={`${line.at} ${line.sentence}`} class={line.bad ? "bad" : ""}>
              <At iso={line.at} now={now.value} /> <strong>{line.by}</strong>: {line.sentence}
            </li>
          ))}
        </ul>
      )}
    </Section>
  );
}

export function JobPage() {
  const device = parts.value[1] ?? "";
  const { answer, refusal, again } = useAnswer("GET /v1/jobs/{device}", { device }, changesOfJobs);
  if (!answer) {
    return (
      <>
        <Refused refusal={refusal} take={(nearest) => go(pageOf.job(nearest))} />
        {refusal && may("POST /v1/jobs") && (
          <Link to={`/plan?device=${encodeURIComponent(device)}`} follow={go}>
            Plan a change of {device}
          </Link>
        )}
      </>
    );
  }
  const window = [answer.window_from, answer.window_until]
    .map((one, i) => (one === "" ? "" : `${i === 0 ? "from" : "until"} ${fullTime(one)}`))
    .join(" ")
    .trim();
  return (
    <>
      <p class="stage" role="status">
        {answer.state === "open" ? answer.stage : answer.state}
      </p>
      <p>
        {answer.waits_for !== "" && `Waits for ${answer.waits_for}, `}since{" "}
        <Ago iso={answer.since} now={now.value} />.
      </p>
      {answer.caution !== "" && <p class="caution large">{answer.caution}</p>}
      <Actions job={answer} again={again} />
      <div class="sections">
        <Section title="The change">
          <Facts>
            <Fact name="Device">
              <Link to={pageOf.device(answer.device)} follow={go}>
                {answer.device}
              </Link>{" "}
              ({answer.platform})
            </Fact>
            <Fact name="Installs">
              {answer.aim}, {answer.purpose} from {answer.from_version || "an unknown version"}
            </Fact>
            <Fact name="Change window">{window || "no limit"}</Fact>
            <Fact name="Whose">{answer.owner}</Fact>
            <Fact name="Planned">
              by {answer.planned_by}, <At iso={answer.planned_at} now={now.value} />
            </Fact>
            <Fact name="Path">
              {answer.path_proven ? (
                <StateWord word="proven" mood="good" />
              ) : (
                <StateWord word="not proven" mood="care" />
              )}
            </Fact>
            {answer.rollout !== "" && (
              <Fact name="Rollout">
                <Link to={pageOf.rollout(answer.rollout)} follow={go}>
                  {answer.rollout}
                </Link>
                , batch {answer.batch}
              </Fact>
            )}
          </Facts>
          {answer.remark !== "" && <p class="remarks">{answer.remark}</p>}
        </Section>
        <Images job={answer} />
        {answer.state === "open" && <ReadinessOf device={answer.device} image="" />}
        <Lines job={answer} />
        {answer.state === "open" && <SheetOf job={answer} />}
      </div>
    </>
  );
}
