// Jobs: planned changes of devices, their owners and what they wait for; rollouts.
import type { Job } from "../api/operations";
import { Ago } from "../parts/at";
import { Choose } from "../parts/field";
import { Link } from "../parts/link";
import { Refused } from "../parts/refused";
import { Empty, Section } from "../parts/section";
import { StateWord } from "../parts/state_word";
import { Table } from "../parts/table";
import { useAnswer } from "../store/answers";
import { now } from "../store/clock";
import { filter, go, pageOf, setFilter } from "../store/place";
import { may, me } from "../store/session";

const columns = [
  {
    name: "Device",
    isHead: true,
    cell: (job: Job) => (
      <Link to={pageOf.job(job.device)} follow={go}>
        {job.device}
      </Link>
    ),
  },
  { name: "Installs", cell: (job: Job) => `${job.aim} (${job.purpose})` },
  {
    name: "Stage",
    cell: (job: Job) => (job.state === "open" ? job.stage : <StateWord word={job.state} />),
  },
  {
    name: "Waits for",
    cell: (job: Job) => (
      <span>
        {job.waits_for || "–"}
        {job.caution !== "" && <span class="caution">{job.caution}</span>}
      </span>
    ),
  },
  { name: "Since", cell: (job: Job) => <Ago iso={job.since} now={now.value} /> },
  { name: "Whose", cell: (job: Job) => (job.owner === me.value?.name ? "yours" : job.owner) },
  {
    name: "Path",
    cell: (job: Job) =>
      job.path_proven ? (
        <StateWord word="proven" mood="good" />
      ) : (
        <StateWord word="not proven" mood="plain" />
      ),
  },
];

function Rollouts() {
  const { answer, refusal } = useAnswer("GET /v1/rollouts", {}, ["rollout", "job"]);
  return (
    <Section title="Rollouts" note="The same change for many devices, in batches.">
      <Refused refusal={refusal} />
      {answer && answer.rollouts.length === 0 && <Empty>None yet.</Empty>}
      {answer && answer.rollouts.length > 0 && (
        <Table
          caption="Rollouts, the newest first"
          columns={[
            {
              name: "Rollout",
              isHead: true,
              cell: (one) => (
                <Link to={pageOf.rollout(one.name)} follow={go}>
                  {one.name}
                </Link>
              ),
            },
            { name: "Installs", cell: (one) => one.aim },
            { name: "State", cell: (one) => <StateWord word={one.state} /> },
            { name: "How far", cell: (one) => one.sentence },
            { name: "Planned by", cell: (one) => one.planned_by },
          ]}
          rows={answer.rollouts}
          keyOf={(one) => one.name}
        />
      )}
    </Section>
  );
}

export function JobsPage() {
  const state = filter("state") || "open";
  const { answer, refusal } = useAnswer("GET /v1/jobs", { state: state === "all" ? "" : state }, [
    "job",
    "ledger",
  ]);
  return (
    <>
      <form class="filters" aria-label="Filters" onSubmit={(event) => event.preventDefault()}>
        <Choose
          label="State"
          value={state}
          set={(value) => setFilter("state", value)}
          choices={["open", "confirmed", "failed", "withdrawn", "all"].map((value) => ({
            value,
            text: value,
          }))}
        />
        {may("POST /v1/jobs") && (
          <Link to="/plan" follow={go}>
            Plan a change
          </Link>
        )}
      </form>
      <Refused refusal={refusal} />
      {answer && answer.jobs.length === 0 && (
        <Empty>
          {state === "open"
            ? "No change is planned. A job shows colleagues what is going on with a device, and checks that it is ready."
            : "None."}
        </Empty>
      )}
      {answer && answer.jobs.length > 0 && (
        <Table
          caption="Jobs, the newest first"
          columns={columns}
          rows={answer.jobs}
          keyOf={(job) => `${job.device} ${job.planned_at}`}
        />
      )}
      {answer?.more && <p>There are more; choose a state, or look at a rollout.</p>}
      <Rollouts />
    </>
  );
}
