// One image: what it is, whether to trust it, who can fetch it, who has.
import { target } from "../api/call";
import type { ImageDetail, LedgerEntry } from "../api/operations";
import { sizeText } from "../formats/size";
import { count } from "../formats/words";
import { At } from "../parts/at";
import { Copied } from "../parts/copied";
import { Link } from "../parts/link";
import { Refused } from "../parts/refused";
import { Empty, Fact, Facts, Section } from "../parts/section";
import { StateWord } from "../parts/state_word";
import { Table } from "../parts/table";
import { useAnswer } from "../store/answers";
import { now } from "../store/clock";
import { go, pageOf, parts } from "../store/place";
import { ImageActions, OfferActions } from "./image_actions";
import { ImageState } from "./images";
import { Locations } from "./locations";
import { Who } from "./now";

function FactsOf({ detail }: { detail: ImageDetail }) {
  const { image } = detail;
  const { facts } = image;
  const guessed = (name: string) =>
    facts.guessed.includes(name) ? " (guessed from the name)" : "";
  return (
    <Section title="Facts">
      <p>
        <ImageState image={image} />
      </p>
      {image.withdrawn && <p class="caution">Withdrawn: {image.withdrawn.why}</p>}
      <Facts>
        <Fact name="Maker">{facts.maker || "–"}</Fact>
        <Fact name="Platform">
          {facts.platform.join(", ") || "–"}
          {guessed("platform")}
        </Fact>
        <Fact name="Hardware">{facts.hardware.join(", ") || "any"}</Fact>
        <Fact name="Role">
          {facts.role || "–"}
          {guessed("role")}
        </Fact>
        <Fact name="Version">
          {facts.version || "–"}
          {guessed("version")}
        </Fact>
        <Fact name="Line">{facts.line || "–"}</Fact>
        <Fact name="Stage">{facts.stage || "–"}</Fact>
        <Fact name="Size">{`${sizeText(image.size)} (${image.size.toLocaleString("en-GB")} bytes)`}</Fact>
        <Fact name="Needs on a device">{facts.space === null ? "–" : sizeText(facts.space)}</Fact>
        <Fact name="Source">{facts.source || "–"}</Fact>
        <Fact name="Added">
          <At iso={image.taken_in_at} now={now.value} /> by {image.taken_in_by}
        </Fact>
        <Fact name="Last read">
          <At iso={image.read_at} now={now.value} />, {image.whole ? "unchanged" : "damaged"}
        </Fact>
      </Facts>
      {facts.remarks !== "" && <p class="remarks">{facts.remarks}</p>}
      {detail.look_alikes.length > 0 && (
        <p class="caution">
          Easily taken for{" "}
          {detail.look_alikes.map((one) => (
            <Link key={one.name} to={pageOf.image(one.name)} follow={go}>
              {one.name}
            </Link>
          ))}
        </p>
      )}
    </Section>
  );
}

function Checksums({ detail }: { detail: ImageDetail }) {
  const { digests } = detail.image;
  const all = [
    ["SHA-256", digests.sha256],
    ["SHA-512", digests.sha512],
    ["SHA-1", digests.sha1],
    ["MD5", digests.md5],
  ] as const;
  return (
    <Section title="Checksums and vouching">
      <Facts>
        {all.map(([name, hex]) => (
          <Fact key={name} name={name}>
            {hex === "" ? (
              "still being computed"
            ) : (
              <>
                <span class="digest">{hex}</span> <Copied text={hex} name={name} />
              </>
            )}
          </Fact>
        ))}
      </Facts>
      {detail.vouches.length === 0 ? (
        <Empty>No checksum of its maker was compared yet.</Empty>
      ) : (
        <Table
          caption="The maker's checksums"
          columns={[
            { name: "Algorithm", isHead: true, cell: (one) => one.algorithm },
            {
              name: "Result",
              cell: (one) => (
                <StateWord
                  word={one.retracted_at !== "" ? "taken back" : one.agrees ? "agrees" : "differs"}
                  mood={one.retracted_at !== "" ? "plain" : one.agrees ? "good" : "bad"}
                />
              ),
            },
            {
              name: "Source",
              cell: (one) => `${one.source}${one.signer !== "" ? `, signed by ${one.signer}` : ""}`,
            },
            { name: "By", cell: (one) => one.who },
            { name: "When", cell: (one) => <At iso={one.at} now={now.value} /> },
          ]}
          rows={detail.vouches}
          keyOf={(one) => `${one.at} ${one.hex}`}
        />
      )}
    </Section>
  );
}

function Inside({ detail }: { detail: ImageDetail }) {
  const { image, members } = detail;
  return (
    <Section title="Look inside">
      <p>
        <StateWord word={image.verdict || "not looked into"} /> {image.kind}
      </p>
      {detail.findings.map((one) => (
        <p key={one} class={image.verdict === "whole" ? "" : "caution"}>
          {one}
        </p>
      ))}
      {members.length > 0 && (
        <details open={members.length <= 12}>
          <summary>{count(detail.members_in_all, "file")} inside</summary>
          <Table
            caption="Files inside"
            columns={[
              { name: "Path", isHead: true, cell: (one) => <span class="name">{one.path}</span> },
              { name: "Size", isNumber: true, cell: (one) => sizeText(one.size) },
            ]}
            rows={members}
            keyOf={(one) => one.path}
          />
        </details>
      )}
    </Section>
  );
}

function Offers({ detail, again }: { detail: ImageDetail; again: () => void }) {
  return (
    <Section title="Names and offers" note="What devices type to fetch it.">
      {detail.offers.length === 0 && <Empty>It is not on offer: no device can fetch it.</Empty>}
      {detail.offers.length > 0 && (
        <Table
          caption="Names on offer"
          columns={[
            { name: "Name", isHead: true, cell: (one) => <span class="name">{one.name}</span> },
            { name: "To", cell: (one) => one.to || "all" },
            { name: "Over", cell: (one) => one.over.join(", ") || "all" },
            {
              name: "Until",
              cell: (one) => (one.until ? <At iso={one.until} now={now.value} /> : "no end"),
            },
            { name: "Held back", cell: (one) => one.held_back || "–" },
            { name: "Actions", cell: (one) => <OfferActions offer={one} again={again} /> },
          ]}
          rows={detail.offers}
          keyOf={(one) => `${one.name} ${one.to}`}
        />
      )}
      {detail.names.length > 1 && <p>Known as {detail.names.join(", ")}.</p>}
      {detail.kits.length > 0 && (
        <p>
          Part of{" "}
          {detail.kits.map((one) => (
            <Link key={one} to={pageOf.kit(one)} follow={go}>
              {one}
            </Link>
          ))}
        </p>
      )}
      {detail.documents.length > 0 && (
        <ul>
          {detail.documents.map((one) => (
            <li key={one.name}>
              <a
                download={one.name}
                href={target("GET /v1/images/{name}/documents/{document}", {
                  name: detail.image.name,
                  document: one.name,
                })}
              >
                {one.name}
              </a>{" "}
              ({sizeText(one.size)})
            </li>
          ))}
        </ul>
      )}
    </Section>
  );
}

const fetchColumns = [
  { name: "When", cell: (row: LedgerEntry) => <At iso={row.at} now={now.value} /> },
  {
    name: "Who",
    isHead: true,
    cell: (row: LedgerEntry) => <Who device={row.device} address={row.actor} />,
  },
  { name: "Over", cell: (row: LedgerEntry) => row.protocol },
  { name: "Outcome", cell: (row: LedgerEntry) => <StateWord word={row.outcome} /> },
  { name: "More", cell: (row: LedgerEntry) => row.sentence },
];

function Fetched({ sha256 }: { sha256: string }) {
  const { answer, refusal } = useAnswer("GET /v1/ledger", { sha256, event: "fetch", limit: 20 }, [
    "ledger",
  ]);
  return (
    <Section title="Who fetched it">
      <Refused refusal={refusal} />
      {answer && answer.entries.length === 0 && <Empty>Nobody yet.</Empty>}
      {answer && answer.entries.length > 0 && (
        <Table
          caption="Fetches of it, the newest first"
          columns={fetchColumns}
          rows={answer.entries}
          keyOf={(row) => row.id}
        />
      )}
    </Section>
  );
}

function NeededBy({ image }: { image: string }) {
  const { answer, refusal } = useAnswer("GET /v1/jobs", { image }, ["job", "ledger"]);
  return (
    <Section title="Jobs that need it">
      <Refused refusal={refusal} />
      {answer && answer.jobs.length === 0 && <Empty>None.</Empty>}
      {answer && answer.jobs.length > 0 && (
        <ul>
          {answer.jobs.map((job) => (
            <li key={`${job.device} ${job.planned_at}`}>
              <StateWord word={job.state} />{" "}
              <Link to={pageOf.job(job.device)} follow={go}>
                {job.device}
              </Link>
              : {job.stage}, planned by {job.planned_by}
            </li>
          ))}
        </ul>
      )}
    </Section>
  );
}

export function ImagePage() {
  const name = parts.value[1] ?? "";
  const { answer, refusal, again } = useAnswer("GET /v1/images/{name}", { name }, [
    "image",
    "offer",
    "kit",
  ]);
  if (!answer) return <Refused refusal={refusal} take={(nearest) => go(pageOf.image(nearest))} />;
  return (
    <>
      <ImageActions detail={answer} again={again} />
      <Refused refusal={refusal} />
      <div class="columns">
        <div>
          <FactsOf detail={answer} />
          <Inside detail={answer} />
          <NeededBy image={answer.image.name} />
        </div>
        <div>
          <Checksums detail={answer} />
          <Offers detail={answer} again={again} />
          <Fetched sha256={answer.image.digests.sha256} />
        </div>
      </div>
      <Locations image={answer.image.name} />
    </>
  );
}
