// Whether a device is ready: each check with its facts and what to do.
import { useState } from "preact/hooks";
import { asRefusal, call, type Refusal } from "../api/call";
import type { Readiness, ReadinessCheck } from "../api/operations";
import { moodOf, verdictWord } from "../formats/words";
import { Refused } from "../parts/refused";
import { Section } from "../parts/section";
import { StateWord } from "../parts/state_word";

export function Checks({ checks }: { checks: readonly ReadinessCheck[] }) {
  return (
    <ul class="checks">
      {checks.map((one) => (
        <li key={one.name} class={moodOf(one.verdict)}>
          <StateWord word={verdictWord(one.verdict)} mood={moodOf(one.verdict)} />
          <div>
            <strong>{one.name}</strong>
            <p>{one.fact}</p>
            {one.advice !== "" && <p class="advice">{one.advice}</p>}
          </div>
        </li>
      ))}
    </ul>
  );
}

export function ReadinessOf({ device, image }: { device: string; image: string }) {
  const [found, setFound] = useState<Readiness>();
  const [refusal, setRefusal] = useState<Refusal>();
  const [busy, setBusy] = useState(false);
  const check = async () => {
    setBusy(true);
    setRefusal(undefined);
    try {
      setFound(await call("POST /v1/readiness", {}, { device, image }));
    } catch (failure) {
      setRefusal(asRefusal(failure));
    }
    setBusy(false);
  };
  return (
    <Section title="Readiness" note="Everything to look at before the point of no return.">
      <button
        type="button"
        class="main"
        disabled={busy}
        aria-busy={busy}
        onClick={() => void check()}
      >
        {found ? "Check again" : "Check now"}
      </button>
      <Refused refusal={refusal} />
      <div aria-live="polite">
        {found && (
          <p class="verdict">
            <StateWord word={verdictWord(found.verdict)} mood={moodOf(found.verdict)} />{" "}
            {found.sentence}
          </p>
        )}
      </div>
      {found && <Checks checks={found.checks} />}
    </Section>
  );
}
