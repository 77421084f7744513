// Add images: choose files, give their facts, send them; a file that differs is not added.
import { useEffect, useId, useState } from "preact/hooks";
import { ask } from "../api/call";
import type { Image } from "../api/operations";
import { durationText, rateText, sizeText } from "../formats/size";
import { Field, TextArea, Tick } from "../parts/field";
import { Link } from "../parts/link";
import { Progress } from "../parts/progress";
import { Refused } from "../parts/refused";
import { Empty, Section } from "../parts/section";
import { StateWord } from "../parts/state_word";
import { choose, files, forget, type HandedIn, sendFile } from "../store/hand_in";
import { go, pageOf } from "../store/place";
import { FactForm, useFacts } from "./facts";

function Chooser() {
  const id = useId();
  const [over, setOver] = useState(false);
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: the field in it does the same by keys
    <div
      class={`drop ${over ? "over" : ""}`}
      onDragOver={(event) => {
        event.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(event) => {
        event.preventDefault();
        setOver(false);
        choose(event.dataTransfer?.files ?? []);
      }}
    >
      <label for={id}>Drop image files here, or choose them</label>
      <input
        id={id}
        type="file"
        multiple
        onChange={(event) => {
          choose(event.currentTarget.files ?? []);
          event.currentTarget.value = "";
        }}
      />
    </div>
  );
}

function Chosen({ one, again }: { one: HandedIn; again: boolean }) {
  const [name, setName] = useState(one.name);
  const [maker, setMaker] = useState("");
  const [source, setSource] = useState("");
  const [hold, setHold] = useState(false);
  const [despiteFindings, setDespite] = useState(false);
  const facts = useFacts();
  const [origin, setOrigin] = useState("");
  // biome-ignore lint/correctness/useExhaustiveDependencies: another name is another suggestion
  useEffect(() => {
    const ending = new AbortController();
    const timer = setTimeout(async () => {
      try {
        const { suggestions } = await ask("GET /v1/suggestions", { name }, ending.signal);
        facts.suggest(suggestions);
        setOrigin([...new Set(suggestions.map((each) => each.origin))].join("; "));
      } catch {
        // Without suggestions everything can be typed.
      }
    }, 200);
    return () => {
      clearTimeout(timer);
      ending.abort();
    };
  }, [name]);
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault();
        void sendFile(one.id, {
          name,
          maker,
          source,
          facts: facts.changed(),
          hold,
          despiteFindings,
        });
      }}
    >
      <Field label="Name of the image" value={name} set={setName} needed />
      <TextArea
        label="The maker's checksum, or checksum list"
        hint="Paste it as it is published: MD5, SHA-1, SHA-256 or SHA-512. If the file differs, it is not added."
        value={maker}
        set={setMaker}
        rows={3}
      />
      {maker.trim() !== "" && (
        <Field
          label="Where it came from"
          value={source}
          set={setSource}
          example="the maker's download page"
        />
      )}
      <details open>
        <summary>
          Facts {origin !== "" && <small>(suggested: {origin}; correct what is wrong)</small>}
        </summary>
        <FactForm facts={facts} />
      </details>
      <Tick label="Keep it off offer for now" value={hold} set={setHold} />
      {again && (
        <Tick
          label="Add it though it looks truncated or damaged"
          value={despiteFindings}
          set={setDespite}
        />
      )}
      <p class="buttons">
        <button type="submit" class="main">
          {again ? "Send again" : "Send"} {sizeText(one.file.size)}
        </button>
        <button type="button" onClick={() => forget(one.id)}>
          Leave it out
        </button>
      </p>
    </form>
  );
}

function HowFar({
  one,
  bytes,
  rate,
  name,
}: {
  one: HandedIn;
  bytes: number;
  rate: number;
  name: string;
}) {
  const left = rate > 0 ? durationText((one.file.size - bytes) / rate) : "";
  return (
    <>
      <Progress bytes={bytes} total={one.file.size} name={`${one.name}, ${name}`} />{" "}
      {rate > 0 && `${rateText(rate)}, ${left} left`}
    </>
  );
}

function Sending({ one, rate }: { one: HandedIn; rate: number }) {
  return (
    <p>
      <HowFar one={one} bytes={one.sent} rate={rate} name="sent" />{" "}
      <button type="button" onClick={() => forget(one.id)}>
        Stop
      </button>
    </p>
  );
}

function vouched(vouching: Image["vouching"]): string {
  switch (vouching) {
    case "vouched":
      return "It is what its maker publishes.";
    case "vouched-weakly":
      return "It agrees with its maker's checksum, which is a weak one (MD5 or SHA-1).";
    default:
      return "No checksum of its maker was given.";
  }
}

function Progressed({ one }: { one: HandedIn }) {
  const { stage } = one;
  switch (stage.at) {
    case "chosen":
      return null;
    case "sending":
      return <Sending one={one} rate={stage.rate} />;
    case "interrupted":
      return (
        <>
          <p>
            <StateWord word="interrupted" mood="care" /> {stage.why}. It goes on by itself.
          </p>
          <Sending one={one} rate={0} />
        </>
      );
    case "comparing":
      return (
        <>
          <p>Everything is sent. The server compares and looks inside.</p>
          {stage.looked > 0 && (
            <p>
              <HowFar one={one} bytes={stage.looked} rate={stage.rate} name="looked into" />
            </p>
          )}
        </>
      );
    case "added":
      return (
        <>
          <p>
            <StateWord
              word={stage.added.result === "already-there" ? "already there" : "added"}
              mood="good"
            />{" "}
            <Link to={pageOf.image(stage.added.image.name)} follow={go}>
              {stage.added.image.name}
            </Link>
            {stage.added.offer !== ""
              ? `, on offer as '${stage.added.offer}'`
              : stage.added.note !== ""
                ? `; ${stage.added.note}`
                : ""}
          </p>
          <p>
            Computed here and at the server, the same: <span class="digest">{stage.sha256}</span>
          </p>
          <p>{vouched(stage.added.image.vouching)}</p>
          {stage.added.not_done.map((text) => (
            <p key={text} class="caution">
              {text}
            </p>
          ))}
          <button type="button" onClick={() => forget(one.id)}>
            Clear
          </button>
        </>
      );
    case "refused":
      return <Refused refusal={stage.refusal} />;
    default:
      return stage satisfies never;
  }
}

function said(one: HandedIn): string {
  switch (one.stage.at) {
    case "added":
      return `${one.name} is added`;
    case "interrupted":
      return `${one.name} is interrupted`;
    default:
      return "";
  }
}

export function HandInPage() {
  const all = files.value;
  return (
    <>
      <Chooser />
      <p class="unseen" role="status">
        {all
          .map(said)
          .filter((text) => text !== "")
          .join(". ")}
      </p>
      {all.length === 0 && (
        <Empty>
          Each file gets its checksum while it is sent. Have the maker's checksum at hand: what
          differs is not added. An archive with release notes can come as it is.
        </Empty>
      )}
      {all.map((one) => (
        <Section key={one.id} title={one.name} note={sizeText(one.file.size)}>
          <Progressed one={one} />
          {one.stage.at !== "added" && (
            // Kept while it is sent: after a refusal, the typed values are still there.
            <div hidden={one.stage.at !== "chosen" && one.stage.at !== "refused"}>
              <Chosen one={one} again={one.stage.at === "refused"} />
            </div>
          )}
        </Section>
      ))}
    </>
  );
}
