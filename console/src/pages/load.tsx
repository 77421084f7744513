// The server's load, as plots.
import { useState } from "preact/hooks";
import { rateText, sizeText } from "../formats/size";
import { Choose } from "../parts/field";
import { Plot } from "../parts/plot";
import { Refused } from "../parts/refused";
import { Empty } from "../parts/section";
import { useAnswer } from "../store/answers";
import { now } from "../store/clock";

const spans = [
  { value: "30", text: "half an hour" },
  { value: "180", text: "3 hours" },
  { value: "1440", text: "24 hours" },
];
const whole = (value: number) => Math.round(value).toLocaleString("en-GB");

export function LoadOf() {
  const [minutes, setMinutes] = useState("30");
  const { answer, refusal } = useAnswer(
    "GET /v1/load",
    { minutes: Number(minutes), samples: 360 },
    ["clock"],
  );
  const samples = answer?.samples ?? [];
  const times = samples.map((one) => one.at);
  return (
    <>
      <div class="filters">
        <Choose label="The last" value={minutes} set={setMinutes} choices={spans} />
      </div>
      <Refused refusal={refusal} />
      {answer && samples.length < 2 && (
        <Empty>
          The server takes a sample every ten seconds since it started; look again in a moment.
        </Empty>
      )}
      {samples.length >= 2 && (
        <div class="sections">
          <Plot
            title="Bytes moved"
            times={times}
            curves={[
              { name: "to devices", values: samples.map((one) => one.out) },
              { name: "received", values: samples.map((one) => one.in) },
            ]}
            text={rateText}
            now={now.value}
          />
          <Plot
            title="Transfers"
            times={times}
            curves={[{ name: "at once", values: samples.map((one) => one.running) }]}
            text={whole}
            now={now.value}
          />
          <Plot
            title="Requests refused"
            times={times}
            curves={[{ name: "in each step", values: samples.map((one) => one.refused) }]}
            text={whole}
            now={now.value}
          />
          <Plot
            title="Disk"
            times={times}
            curves={[{ name: "free", values: samples.map((one) => one.disk_free) }]}
            text={sizeText}
            now={now.value}
          />
          <Plot
            title="Memory"
            times={times}
            curves={[{ name: "of vantrod", values: samples.map((one) => one.memory) }]}
            text={sizeText}
            now={now.value}
          />
        </div>
      )}
    </>
  );
}
