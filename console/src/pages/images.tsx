// Images: by platform and line, the newest of each marked; filters are in the address.
import { useState } from "preact/hooks";
import type { ImageRow } from "../api/operations";
import { sizeText } from "../formats/size";
import { count } from "../formats/words";
import { Choose, Field, Tick } from "../parts/field";
import { Link } from "../parts/link";
import { Pager } from "../parts/pager";
import { Refused } from "../parts/refused";
import { Empty, Section } from "../parts/section";
import { StateWord } from "../parts/state_word";
import { Table } from "../parts/table";
import { useAnswer } from "../store/answers";
import { filter, go, pageOf, setFilter } from "../store/place";
import { may } from "../store/session";

const rowsOfPage = 100;
export const imageRoles = ["system", "boot", "module", "recovery", "other"];

function vouchingOf(text: string) {
  switch (text) {
    case "unvouched":
    case "vouched-weakly":
    case "vouched":
    case "contradicted":
      return text;
    default:
      return undefined;
  }
}

const any = (text: string) => ({ value: "", text });
const plain = (value: string) => ({ value, text: value });

function Filters() {
  const platform = filter("platform");
  const platforms = useAnswer("GET /v1/platforms", {}, ["image"]).answer?.platforms ?? [];
  // Of all platforms together there may be thousands.
  const { answer } = useAnswer(platform === "" ? null : "GET /v1/lines", { platform }, ["image"]);
  const names = [...new Set((answer?.lines ?? []).map((one) => one.line))].filter(
    (one) => one !== "",
  );
  return (
    <form class="filters" aria-label="Filters" onSubmit={(event) => event.preventDefault()}>
      <Field
        label="Part of a name"
        type="search"
        value={filter("text")}
        set={(value) => setFilter("text", value)}
      />
      <Choose
        label="Platform"
        value={platform}
        set={(value) => {
          setFilter("line", "");
          setFilter("platform", value);
        }}
        choices={[
          any("all"),
          ...platforms.map((one) => ({
            value: one.platform,
            text: `${one.platform} (${one.images})`,
          })),
        ]}
      />
      <Choose
        label="Role"
        value={filter("role")}
        set={(value) => setFilter("role", value)}
        choices={[any("all"), ...imageRoles.map(plain)]}
      />
      <Choose
        label="Line"
        {...(platform === "" ? { hint: "Choose a platform first" } : {})}
        value={filter("line")}
        set={(value) => setFilter("line", value)}
        choices={[any("all"), ...names.map(plain)]}
      />
      <Choose
        label="Vouching"
        value={filter("vouching")}
        set={(value) => setFilter("vouching", value)}
        choices={[
          any("any"),
          ...["vouched", "vouched-weakly", "unvouched", "contradicted"].map(plain),
        ]}
      />
      <Choose
        label="On offer"
        value={filter("offered")}
        set={(value) => setFilter("offered", value)}
        choices={[any("either"), { value: "true", text: "yes" }, { value: "false", text: "no" }]}
      />
      <Tick
        label="Only the newest of each line"
        value={filter("newest") === "true"}
        set={(on) => setFilter("newest", on ? "true" : "")}
      />
    </form>
  );
}

/** The state of an image at a glance. */
export function ImageState({ image }: { image: ImageRow["image"] }) {
  return (
    <span>
      {image.withdrawn ? (
        <StateWord word="withdrawn" />
      ) : image.on_offer ? (
        <StateWord word="on offer" mood="good" />
      ) : (
        <StateWord word="held" />
      )}{" "}
      <StateWord word={image.vouching} />
      {!image.whole && <StateWord word="damaged" />}
    </span>
  );
}

export function ImagesPage() {
  const skip = Number(filter("skip")) || 0;
  const newest = filter("newest") === "true";
  const asked = {
    text: filter("text"),
    platform: filter("platform") || undefined,
    role: filter("role") || undefined,
    line: filter("line") || undefined,
    version: filter("version") || undefined,
    vouching: vouchingOf(filter("vouching")),
    offered: filter("offered") === "" ? undefined : filter("offered") === "true",
    newest: newest ? true : undefined,
    limit: rowsOfPage,
    skip,
  };
  const { answer, refusal, pending } = useAnswer("GET /v1/images", asked, ["image", "offer"]);
  const [chosen, setChosen] = useState<readonly string[]>([]);
  const isFiltered = [
    "text",
    "platform",
    "role",
    "line",
    "version",
    "vouching",
    "offered",
    "newest",
  ].some((one) => filter(one) !== "");
  const columns = [
    {
      name: "Name",
      isHead: true,
      cell: (row: ImageRow) => (
        <span>
          <Link to={pageOf.image(row.image.name)} follow={go}>
            {row.image.name}
          </Link>
          {row.confusable && (
            <span class="caution">its version is easily taken for another one's</span>
          )}
        </span>
      ),
    },
    {
      name: "Version",
      cell: (row: ImageRow) => (
        <span>
          {row.image.facts.version || "–"} {row.newest && <StateWord word="newest" mood="good" />}
        </span>
      ),
    },
    { name: "Line", cell: (row: ImageRow) => row.image.facts.line || "–" },
    { name: "Size", isNumber: true, cell: (row: ImageRow) => sizeText(row.image.size) },
    { name: "State", cell: (row: ImageRow) => <ImageState image={row.image} /> },
    {
      name: "Compare",
      cell: (row: ImageRow) => (
        <input
          type="checkbox"
          aria-label={`Compare ${row.image.name}`}
          checked={chosen.includes(row.image.name)}
          onChange={(event) =>
            setChosen(
              event.currentTarget.checked
                ? [...chosen, row.image.name].slice(-2)
                : chosen.filter((one) => one !== row.image.name),
            )
          }
        />
      ),
    },
  ];
  return (
    <>
      <Filters />
      <Refused refusal={refusal} />
      {chosen.length > 0 && (
        <p class="chosen">
          Chosen: {chosen.join(" and ")}.{" "}
          <button
            type="button"
            class="main"
            disabled={chosen.length < 2}
            onClick={() =>
              go(`/compare?${new URLSearchParams({ a: chosen[0] ?? "", b: chosen[1] ?? "" })}`)
            }
          >
            Compare the two
          </button>
        </p>
      )}
      {answer && answer.images.length === 0 && (
        <Empty>
          {isFiltered ? (
            <>
              No image fits these filters.{" "}
              <Link to="/images" follow={go}>
                Show all
              </Link>
            </>
          ) : may("POST /v1/uploads") ? (
            <>
              No image yet.{" "}
              <Link to="/hand-in" follow={go}>
                Hand in the first one
              </Link>
            </>
          ) : (
            "No image yet. Somebody with the role 'operate' can hand one in."
          )}
        </Empty>
      )}
      {answer && answer.images.length > 0 && (
        <>
          <div aria-busy={pending}>
            <Table
              caption="Images by platform, role and version"
              columns={columns}
              rows={answer.images}
              keyOf={(row) => `${row.platform} ${row.image.name}`}
              groupOf={(row) =>
                `${row.platform || "no platform"} · ${row.image.facts.role || "no role"}`
              }
            />
          </div>
          <Pager
            skip={skip}
            shown={answer.images.length}
            inAll={answer.in_all}
            andMore={answer.and_more}
            page={rowsOfPage}
            what="images"
            set={(value) => setFilter("skip", value === 0 ? "" : String(value))}
          />
        </>
      )}
      <Kits />
    </>
  );
}

function Kits() {
  const { answer } = useAnswer("GET /v1/kits", {}, ["kit"]);
  if (!answer || answer.kits.length === 0) return null;
  return (
    <Section title="Kits" note="Images that belong together.">
      <ul>
        {answer.kits.map((kit) => (
          <li key={kit.name}>
            <Link to={pageOf.kit(kit.name)} follow={go}>
              {kit.name}
            </Link>{" "}
            ({count(kit.parts.length, "part")}) {kit.remarks}
          </li>
        ))}
      </ul>
    </Section>
  );
}
