// The settings in force, with marks on changed ones.
import { useState } from "preact/hooks";
import { Field, Tick } from "../parts/field";
import { Refused } from "../parts/refused";
import { Empty } from "../parts/section";
import { StateWord } from "../parts/state_word";
import { Table } from "../parts/table";
import { useAnswer } from "../store/answers";

export function SettingsOf() {
  const { answer, refusal } = useAnswer("GET /v1/settings", {});
  const [text, setText] = useState("");
  const [onlyChanged, setOnlyChanged] = useState(false);
  const folded = text.toLowerCase();
  const rows = (answer?.settings ?? []).filter(
    (one) =>
      (!onlyChanged || one.value !== one.usual) &&
      `${one.name} ${one.meaning}`.toLowerCase().includes(folded),
  );
  return (
    <>
      <div class="filters">
        <Field label="Part of a name or meaning" type="search" value={text} set={setText} />
        <Tick
          label="Only those that are not the usual ones"
          value={onlyChanged}
          set={setOnlyChanged}
        />
      </div>
      <Refused refusal={refusal} />
      {answer && (
        <p>
          {answer.file === ""
            ? "No settings file: command line and defaults."
            : `Read from ${answer.file}, then the command line.`}{" "}
          They are changed in the file; 'systemctl reload vantrod' lets those take effect that can.
        </p>
      )}
      {answer && rows.length === 0 && <Empty>No setting fits.</Empty>}
      {rows.length > 0 && (
        <Table
          caption="Settings in force"
          columns={[
            { name: "Setting", isHead: true, cell: (one) => <span class="name">{one.name}</span> },
            {
              name: "Value",
              cell: (one) => (
                <span>
                  <span class="name">{one.value || "not set"}</span> {one.unit}{" "}
                  {one.value !== one.usual && <StateWord word="changed" mood="care" />}
                </span>
              ),
            },
            { name: "Usual", cell: (one) => <span class="name">{one.usual || "not set"}</span> },
            { name: "Meaning", cell: (one) => one.meaning },
            {
              name: "Takes effect",
              cell: (one) => (one.reloadable ? "by a reload" : "by a restart"),
            },
          ]}
          rows={rows}
          keyOf={(one) => one.name}
        />
      )}
    </>
  );
}
