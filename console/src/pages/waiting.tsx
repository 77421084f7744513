// What waits for a person, gathered from everywhere.

import type { Mood } from "../formats/words";
import { Link } from "../parts/link";
import { Empty, Section } from "../parts/section";
import { StateWord } from "../parts/state_word";
import { useAnswer } from "../store/answers";
import { go, pageOf } from "../store/place";

interface Waits {
  readonly key: string;
  readonly word: string;
  readonly mood: Mood;
  readonly text: string;
  readonly to: string;
}

export function Waiting() {
  const status = useAnswer("GET /v1/status", {}, ["image", "ledger"]).answer;
  const rescues = useAnswer("GET /v1/rescues", {}, ["rescue"]).answer;
  const jobs = useAnswer("GET /v1/jobs", { state: "open" }, ["job", "ledger"]).answer;
  const rollouts = useAnswer("GET /v1/rollouts", {}, ["rollout", "job"]).answer;
  const wrong = useAnswer("GET /v1/images", { vouching: "contradicted", limit: 5 }, [
    "image",
  ]).answer;
  const unrecorded = useAnswer("GET /v1/unrecorded", {}, ["image"]).answer;
  // Those of later batches wait for the previous batch, not for a person.
  const ready = (jobs?.jobs ?? []).filter((one) => one.stage !== "held");
  const all: Waits[] = [
    ...(rescues?.rescues ?? [])
      .filter((one) => one.ended_at === "")
      .map((one) => ({
        key: `rescue ${one.number}`,
        word: "rescue open",
        mood: "care" as const,
        text: `${one.device || one.interface}: ${one.large}`,
        to: pageOf.rescue(one.number),
      })),
    ...(status?.trouble ?? []).map((text) => ({
      key: text,
      word: "trouble",
      mood: "bad" as const,
      text,
      to: "/server",
    })),
    ...(wrong?.images ?? []).map((one) => ({
      key: `wrong ${one.image.name} ${one.platform}`,
      word: "contradicted",
      mood: "bad" as const,
      text: `${one.image.name} is not what its maker publishes`,
      to: pageOf.image(one.image.name),
    })),
    ...(rollouts?.rollouts ?? [])
      .filter((one) => one.state === "stopped")
      .map((one) => ({
        key: `rollout ${one.name}`,
        word: "stopped",
        mood: "bad" as const,
        text: `Rollout ${one.name}: ${one.sentence}`,
        to: pageOf.rollout(one.name),
      })),
    ...ready.slice(0, 20).map((one) => ({
      key: `job ${one.device}`,
      word: one.stage,
      mood: one.caution !== "" ? ("care" as const) : ("plain" as const),
      text: `${one.device}: ${one.waits_for}${one.caution !== "" ? ` (${one.caution})` : ""}`,
      to: pageOf.job(one.device),
    })),
    ...(unrecorded?.files ?? []).slice(0, 3).map((one) => ({
      key: `unrecorded ${one.name}`,
      word: "unrecorded",
      mood: "care" as const,
      text: `a stored file without a record: ${one.name.slice(0, 12)}…`,
      to: "/server/verification",
    })),
  ];
  return (
    <Section title="Waits for a person">
      {all.length === 0 ? (
        <Empty>Nothing.</Empty>
      ) : (
        <ul class="waits">
          {all.map((one) => (
            <li key={one.key}>
              <StateWord word={one.word} mood={one.mood} />{" "}
              <Link to={one.to} follow={go}>
                {one.text}
              </Link>
            </li>
          ))}
        </ul>
      )}
      {ready.length > 20 && (
        <Link to="/jobs" follow={go}>
          All open jobs
        </Link>
      )}
    </Section>
  );
}
