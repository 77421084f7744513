// A rollout by site: each device one cell, readable at a glance.
import { useState } from "preact/hooks";
import { call, target } from "../api/call";
import type { Rollout, RolloutReadiness, RolloutRow } from "../api/operations";
import { count, type Mood, moodOf, verdictWord } from "../formats/words";
import { Action } from "../parts/action";
import { Field } from "../parts/field";
import { Link } from "../parts/link";
import { Refused } from "../parts/refused";
import { Section } from "../parts/section";
import { StateWord } from "../parts/state_word";
import { Table } from "../parts/table";
import { useAnswer } from "../store/answers";
import { go, pageOf, parts } from "../store/place";
import { may } from "../store/session";

/** The text of a cell: the state of the job, or the stage of an open one. */
function stateOf(row: RolloutRow, openBatch: number): { word: string; mood: Mood } {
  if (row.state !== "open") return { word: row.state, mood: moodOf(row.state) };
  if (openBatch === 0 || row.batch > openBatch) return { word: "later", mood: "plain" };
  return { word: row.stage, mood: row.stage.startsWith("waiting") ? "plain" : "care" };
}

function Grid({ rollout }: { rollout: Rollout }) {
  const sites = new Map<string, RolloutRow[]>();
  for (const row of rollout.rows) sites.set(row.site, [...(sites.get(row.site) ?? []), row]);
  const sorted = [...sites].sort(([a], [b]) => a.localeCompare(b));
  return (
    <table class="grid">
      <caption>Devices by site</caption>
      <thead class="unseen">
        <tr>
          <th scope="col">Site</th>
          <th scope="col">Devices</th>
        </tr>
      </thead>
      <tbody>
        {sorted.map(([site, rows]) => {
          const done = rows.filter((one) => one.state === "confirmed").length;
          return (
            <tr key={site}>
              <th scope="row">
                {site || "no site"}{" "}
                <small>
                  {done} of {rows.length}
                </small>
              </th>
              <td>
                <ul>
                  {rows.map((row) => {
                    const { word, mood } = stateOf(row, rollout.open_batch);
                    return (
                      <li key={row.device} class={mood}>
                        <Link to={pageOf.job(row.device)} follow={go}>
                          {row.device}
                        </Link>
                        <StateWord word={word} mood={mood} />
                        <small>batch {row.batch}</small>
                      </li>
                    );
                  })}
                </ul>
              </td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}

function Ready({ name }: { name: string }) {
  const [found, setFound] = useState<RolloutReadiness>();
  return (
    <Section title="Readiness">
      <Action
        label={found ? "Check all again" : "Check all"}
        run={async () => setFound(await call("GET /v1/rollouts/{name}/readiness", { name }))}
      />
      {found && (
        <>
          <p role="status">
            {count(found.ready, "device")} ready, {found.stopped} stopped by something.
          </p>
          <Table
            caption="Whether its devices are ready"
            columns={[
              { name: "Device", isHead: true, cell: (one) => one.device },
              { name: "Batch", isNumber: true, cell: (one) => one.batch },
              {
                name: "Verdict",
                cell: (one) => (
                  <StateWord word={verdictWord(one.verdict)} mood={moodOf(one.verdict)} />
                ),
              },
              { name: "Why", cell: (one) => one.sentence },
            ]}
            rows={found.devices}
            keyOf={(one) => one.device}
          />
        </>
      )}
    </Section>
  );
}

function Continue({ name, again }: { name: string; again: () => void }) {
  const [remark, setRemark] = useState("");
  return (
    <Action
      label="Go on"
      warns="The next batch opens although devices failed. Say why that is right."
      run={async () => {
        await call("POST /v1/rollouts/{name}/continuation", { name }, { remark });
        again();
      }}
    >
      <Field label="Remark" value={remark} set={setRemark} />
    </Action>
  );
}

function Withdraw({ rollout, again }: { rollout: Rollout; again: () => void }) {
  const { name } = rollout;
  const [reason, setReason] = useState("");
  return (
    <Action
      label="Withdraw"
      kind="danger"
      warns={`${count(rollout.open, "open job")} of it are withdrawn, too. What is confirmed stays.`}
      run={async () => {
        await call("DELETE /v1/rollouts/{name}", { name, reason });
        again();
      }}
    >
      <Field label="Reason" value={reason} set={setReason} />
    </Action>
  );
}

export function RolloutPage() {
  const name = parts.value[1] ?? "";
  const { answer, refusal, again } = useAnswer("GET /v1/rollouts/{name}", { name }, [
    "rollout",
    "job",
    "ledger",
  ]);
  if (!answer) return <Refused refusal={refusal} take={(nearest) => go(pageOf.rollout(nearest))} />;
  return (
    <>
      <p class="stage" role="status">
        <StateWord word={answer.state} /> {answer.sentence}
      </p>
      <p>
        Installs {answer.aim}. {answer.confirmed} confirmed, {answer.failed} failed, {answer.open}{" "}
        open, {answer.withdrawn} withdrawn. Planned by {answer.planned_by}.
      </p>
      {answer.remark !== "" && <p class="remarks">{answer.remark}</p>}
      <p class="actions">
        {answer.state === "stopped" && may("POST /v1/rollouts/{name}/continuation") && (
          <Continue name={name} again={again} />
        )}
        {answer.open > 0 && may("DELETE /v1/rollouts/{name}") && (
          <Withdraw rollout={answer} again={again} />
        )}
        <a
          class="button"
          download={`${name}.csv`}
          href={target("GET /v1/rollouts/{name}/table", { name })}
        >
          Save as CSV
        </a>
      </p>
      <Grid rollout={answer} />
      {answer.open > 0 && <Ready name={name} />}
    </>
  );
}
