// Two images, beside each other.

import type { Member } from "../api/operations";
import { sizeText } from "../formats/size";
import { Link } from "../parts/link";
import { Refused } from "../parts/refused";
import { Empty, Section } from "../parts/section";
import { StateWord } from "../parts/state_word";
import { Table } from "../parts/table";
import { useAnswer } from "../store/answers";
import { filter, go, pageOf } from "../store/place";

function Members({ title, members }: { title: string; members: readonly Member[] }) {
  if (members.length === 0) return null;
  return (
    <Section title={title}>
      <Table
        caption={title}
        columns={[
          { name: "Path", isHead: true, cell: (one) => <span class="name">{one.path}</span> },
          { name: "Size", isNumber: true, cell: (one) => sizeText(one.size) },
        ]}
        rows={members.slice(0, 500)}
        keyOf={(one) => one.path}
      />
    </Section>
  );
}

export function ComparedImages() {
  const a = filter("a");
  const b = filter("b");
  const { answer, refusal } = useAnswer("GET /v1/comparison", { a, b }, ["image"]);
  if (!answer) return <Refused refusal={refusal} />;
  const rows = [
    { fact: "name", before: answer.a.image.name, after: answer.b.image.name },
    { fact: "size", before: sizeText(answer.a.image.size), after: sizeText(answer.b.image.size) },
    {
      fact: "SHA-256",
      before: answer.a.image.digests.sha256,
      after: answer.b.image.digests.sha256,
    },
    { fact: "vouching", before: answer.a.image.vouching, after: answer.b.image.vouching },
    ...answer.facts,
  ];
  return (
    <>
      <p>
        {answer.same_bytes ? (
          <StateWord word="the same bytes" mood="good" />
        ) : (
          <StateWord word="different bytes" mood="plain" />
        )}{" "}
        {answer.versions}
      </p>
      <p>
        <Link to={pageOf.image(answer.a.image.name)} follow={go}>
          {answer.a.image.name}
        </Link>{" "}
        and{" "}
        <Link to={pageOf.image(answer.b.image.name)} follow={go}>
          {answer.b.image.name}
        </Link>
      </p>
      <Table
        caption="What differs"
        columns={[
          { name: "Fact", isHead: true, cell: (row) => row.fact },
          { name: "First", cell: (row) => <span class="name">{row.before || "–"}</span> },
          { name: "Second", cell: (row) => <span class="name">{row.after || "–"}</span> },
        ]}
        rows={rows}
        keyOf={(row) => row.fact}
      />
      <Members title="Files only in the first" members={answer.only_a} />
      <Members title="Files only in the second" members={answer.only_b} />
      <Members title="Files of another size in the second" members={answer.differing} />
      {answer.only_a.length + answer.only_b.length + answer.differing.length === 0 && (
        <Empty>Their files inside do not differ in name or size, or are not known.</Empty>
      )}
    </>
  );
}
