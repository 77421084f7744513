// A kit: images that belong together, in the order of installation.
import { sizeText } from "../formats/size";
import { Link } from "../parts/link";
import { Refused } from "../parts/refused";
import { Table } from "../parts/table";
import { useAnswer } from "../store/answers";
import { go, pageOf, parts } from "../store/place";

export function KitPage() {
  const name = parts.value[1] ?? "";
  const { answer, refusal } = useAnswer("GET /v1/kits/{name}", { name }, ["kit"]);
  return (
    <>
      <Refused refusal={refusal} take={(nearest) => go(pageOf.kit(nearest))} />
      {answer && (
        <>
          <p>{answer.remarks}</p>
          <Table
            caption="Its parts, in the order of installing"
            columns={[
              {
                name: "Image",
                isHead: true,
                cell: (part) => (
                  <Link to={pageOf.image(part.image)} follow={go}>
                    {part.image}
                  </Link>
                ),
              },
              { name: "Role", cell: (part) => part.role },
              { name: "Version", cell: (part) => part.version },
              { name: "Size", isNumber: true, cell: (part) => sizeText(part.size) },
              { name: "Remark", cell: (part) => part.remark },
            ]}
            rows={answer.parts}
            keyOf={(part) => part.image}
          />
        </>
      )}
    </>
  );
}
