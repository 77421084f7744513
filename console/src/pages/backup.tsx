// Two revisions of a backup compared, their secrets masked.
import { target } from "../api/call";
import type { Backup, DiffHunk, TextComparison } from "../api/operations";
import { sizeText } from "../formats/size";
import { timeText } from "../formats/time";
import { count } from "../formats/words";
import { Choose } from "../parts/field";
import { Refused } from "../parts/refused";
import { Empty } from "../parts/section";
import { StateWord } from "../parts/state_word";
import { useAnswer } from "../store/answers";
import { now } from "../store/clock";
import { filter, parts, setFilter } from "../store/place";

const signs: Readonly<Record<string, string>> = { "+": "added", "-": "removed" };

function Hunk({ hunk }: { hunk: DiffHunk }) {
  return (
    <>
      {hunk.sections.length > 0 && <p class="sections-of">In: {hunk.sections.join(" › ")}</p>}
      <table class="diff">
        <caption class="unseen">Lines that differ</caption>
        <thead class="unseen">
          <tr>
            <th scope="col">Before</th>
            <th scope="col">After</th>
            <th scope="col">Line</th>
          </tr>
        </thead>
        <tbody>
          {hunk.lines.map((line) => (
            <tr
              key={`${line.before} ${line.after} ${line.sign}`}
              class={signs[line.sign] ?? "same"}
            >
              <td class="number">{line.before || ""}</td>
              <td class="number">{line.after || ""}</td>
              <td>
                <span class="sign">{line.sign}</span>
                {signs[line.sign] && <span class="unseen">{signs[line.sign]}: </span>}
                <span class="line">{line.text}</span>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}

function Difference({ found }: { found: TextComparison }) {
  if (found.same_bytes) return <Empty>The two are the same, to the last byte.</Empty>;
  return (
    <>
      <p>
        <StateWord
          word={found.same ? "the same in substance" : "changed"}
          mood={found.same ? "good" : "care"}
        />{" "}
        {count(found.removed, "line")} removed, {count(found.added, "line")} added
        {found.left_out > 0 && `; ${count(found.left_out, "line")} that do not count are left out`}
        {found.masked > 0 && `; ${count(found.masked, "secret")} masked`}.
      </p>
      {found.doubtful > 0 && (
        <p class="caution">{count(found.doubtful, "line")} may hold a secret that is not masked.</p>
      )}
      {found.hunks.map((hunk, i) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: hunks have no other name
        <Hunk key={i} hunk={hunk} />
      ))}
    </>
  );
}

const choice = (one: Backup) => ({
  value: String(one.revision),
  text: `${one.revision} – ${timeText(one.arrived_at, now.value)}, ${sizeText(one.size)}${one.complete ? "" : ", partial"}`,
});

export function BackupPage() {
  const holder = parts.value[1] ?? "";
  const name = parts.value[2] ?? "";
  const all = useAnswer("GET /v1/backups", { holder, name }, ["ledger"]);
  const complete = (all.answer?.backups ?? []).filter((one) => one.complete);
  const newest = complete.at(-1)?.revision ?? 0;
  const after = Number(filter("after")) || newest;
  const before =
    Number(filter("before")) ||
    (complete.filter((one) => one.revision < after).at(-1)?.revision ?? 0);
  const canCompare = before > 0 && after > 0;
  const { answer, refusal } = useAnswer(canCompare ? "GET /v1/backup-comparison" : null, {
    holder,
    name,
    before,
    after,
  });
  return (
    <>
      <form class="filters" aria-label="Revisions" onSubmit={(event) => event.preventDefault()}>
        <Choose
          label="Before"
          value={String(before)}
          set={(value) => setFilter("before", value)}
          choices={complete.map(choice)}
        />
        <Choose
          label="After"
          value={String(after)}
          set={(value) => setFilter("after", value)}
          choices={complete.map(choice)}
        />
        <a
          class="button"
          download={`${holder}-${name.replaceAll("/", "-")}-${after}.txt`}
          href={target("GET /v1/backups/{holder}/{name}/text", { holder, name, revision: after })}
        >
          Save the text, masked
        </a>
      </form>
      <Refused refusal={all.refusal ?? refusal} />
      {all.answer && !canCompare && (
        <Empty>There is one revision only; nothing to compare it with.</Empty>
      )}
      {answer && <Difference found={answer.comparison} />}
    </>
  );
}
