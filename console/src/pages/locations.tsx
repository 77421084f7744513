// Texts to paste into a device, with the server's address that this device would use.
import { useState } from "preact/hooks";
import { Copied } from "../parts/copied";
import { Field } from "../parts/field";
import { Refused } from "../parts/refused";
import { Empty, Section } from "../parts/section";
import { StateWord } from "../parts/state_word";
import { Table } from "../parts/table";
import { useAnswer } from "../store/answers";

export function Locations({ image }: { image: string }) {
  const [device, setDevice] = useState("");
  const { answer, refusal } = useAnswer("GET /v1/locations", { image, for: device.trim() }, [
    "offer",
    "device",
  ]);
  return (
    <Section title="Type it on the device">
      <Field
        label="For the device"
        hint="Its name or address, so that the server's address is the one it can reach"
        value={device}
        set={setDevice}
      />
      <Refused refusal={refusal} take={setDevice} />
      {answer && answer.locations.length === 0 && <Empty>It can be fetched nowhere.</Empty>}
      {answer && answer.locations.length > 0 && (
        <Table
          caption="Where it can be fetched"
          columns={[
            { name: "Over", isHead: true, cell: (one) => one.protocol.toUpperCase() },
            {
              name: "Address",
              cell: (one) => (
                <span>
                  <span class="name">{one.text}</span>{" "}
                  <Copied text={one.text} name={`the address over ${one.protocol}`} />
                </span>
              ),
            },
            {
              name: "Open",
              cell: (one) => (
                <StateWord word={one.open ? "open" : "closed"} mood={one.open ? "good" : "care"} />
              ),
            },
            {
              name: "Note",
              cell: (one) => [one.note, one.remark].filter((text) => text !== "").join("; "),
            },
          ]}
          rows={answer.locations}
          keyOf={(one) => one.text}
        />
      )}
    </Section>
  );
}
