// Plan a change: of one device, or of many in batches.
import { useState } from "preact/hooks";
import { call } from "../api/call";
import type { Rollout } from "../api/operations";
import { fromLocalField, zoneName } from "../formats/time";
import { count } from "../formats/words";
import { Action } from "../parts/action";
import { Choose, Field, Tick } from "../parts/field";
import { Section } from "../parts/section";
import { Table } from "../parts/table";
import { useAnswer } from "../store/answers";
import { now } from "../store/clock";
import { filter, go, pageOf } from "../store/place";
import { ReadinessOf } from "./readiness";

function useNames(device: string, image: string) {
  const found =
    useAnswer(device.trim().length > 1 ? "GET /v1/find" : null, { text: device.trim(), limit: 20 })
      .answer?.found ?? [];
  const images =
    useAnswer(image.trim().length > 1 ? "GET /v1/find" : null, { text: image.trim(), limit: 20 })
      .answer?.found ?? [];
  return {
    devices: found.filter((one) => one.kind === "device").map((one) => one.name),
    images: images.filter((one) => one.kind === "image").map((one) => one.name),
  };
}

const purposes = [
  { value: "", text: "as the versions tell" },
  ...["upgrade", "downgrade", "convert", "recover"].map((value) => ({ value, text: value })),
];

function usePlan(first: { device: string; image: string }) {
  const [device, setDevice] = useState(first.device);
  const [image, setImage] = useState(first.image);
  const [purpose, setPurpose] = useState("");
  const [slot, setSlot] = useState("");
  const [from, setFrom] = useState("");
  const [until, setUntil] = useState("");
  const [remark, setRemark] = useState("");
  const [anyPlatform, setAnyPlatform] = useState(false);
  return {
    values: {
      image,
      purpose,
      slot,
      window_from: fromLocalField(from),
      window_until: fromLocalField(until),
      remark,
      any_platform: anyPlatform,
    },
    device,
    setDevice,
    image,
    setImage,
    fields: (
      <>
        <Choose label="Purpose" value={purpose} set={setPurpose} choices={purposes} />
        <Field label="Slot to write" value={slot} set={setSlot} />
        <Field
          label={`Change window from (${zoneName(now.value)})`}
          type="datetime-local"
          value={from}
          set={setFrom}
        />
        <Field
          label={`Change window until (${zoneName(now.value)})`}
          type="datetime-local"
          value={until}
          set={setUntil}
        />
        <Field label="Remark" value={remark} set={setRemark} />
        <Tick label="Allow an image of another platform" value={anyPlatform} set={setAnyPlatform} />
      </>
    ),
  };
}

function PlanJob() {
  const plan = usePlan({ device: filter("device"), image: filter("image") });
  const [offerAs, setOfferAs] = useState("");
  const names = useNames(plan.device, plan.image);
  return (
    <Section title="One device">
      <div class="form-grid">
        <Field
          label="Device"
          value={plan.device}
          set={plan.setDevice}
          names={names.devices}
          needed
        />
        <Field
          label="Image or kit"
          value={plan.image}
          set={plan.setImage}
          names={names.images}
          needed
        />
        {plan.fields}
        <Field
          label="Name that the boot loader insists on"
          hint="It is offered to this device only, until the job ends"
          value={offerAs}
          set={setOfferAs}
        />
      </div>
      <Action
        label="Plan it"
        kind="main"
        disabled={plan.device.trim() === "" || plan.image.trim() === ""}
        run={async () => {
          const job = await call(
            "POST /v1/jobs",
            {},
            { ...plan.values, device: plan.device, offer_as: offerAs },
          );
          go(pageOf.job(job.device));
        }}
      />
      {plan.device.trim() !== "" && plan.image.trim() !== "" && (
        <ReadinessOf device={plan.device} image={plan.image} />
      )}
    </Section>
  );
}

function PlanRollout() {
  const plan = usePlan({ device: "", image: "" });
  const names = useNames("", plan.image);
  const [name, setName] = useState("");
  const [devices, setDevices] = useState("");
  const [batch, setBatch] = useState("10");
  const [stopAfter, setStopAfter] = useState("1");
  const [shown, setShown] = useState<Rollout>();
  const ask = (really: boolean) =>
    call(
      "POST /v1/rollouts",
      {},
      {
        ...plan.values,
        name,
        devices,
        batch: Number(batch),
        stop_after: Number(stopAfter),
        really,
      },
    );
  return (
    <Section title="Many devices, in batches">
      <div class="form-grid">
        <Field label="Name of the rollout" value={name} set={setName} needed />
        <Field
          label="Devices"
          hint='Names separated by commas, or "site=Heron,platform=lattice24"'
          value={devices}
          set={setDevices}
          needed
        />
        <Field
          label="Image or kit"
          value={plan.image}
          set={plan.setImage}
          names={names.images}
          needed
        />
        <Field label="Devices in each batch" type="number" value={batch} set={setBatch} />
        <Field
          label="Stop after so many failures"
          type="number"
          value={stopAfter}
          set={setStopAfter}
        />
        {plan.fields}
      </div>
      <p class="buttons">
        <Action label="Show what would be planned" run={async () => setShown(await ask(false))} />
        <Action
          label="Plan the rollout"
          kind="main"
          warns="A job is planned for each device. Nothing is done to a device by itself: each job waits for a person."
          run={async () => {
            const made = await ask(true);
            go(pageOf.rollout(made.name));
          }}
        />
      </p>
      {shown && (
        <>
          <p role="status">
            {count(shown.rows.length, "device")} in {count(shown.batches, "batch", "batches")};{" "}
            {count(shown.left_out.length, "device")} left out.
          </p>
          {shown.left_out.map((text) => (
            <p key={text} class="caution">
              {text}
            </p>
          ))}
          <Table
            caption="What would be planned"
            columns={[
              { name: "Device", isHead: true, cell: (row) => row.device },
              { name: "Site", cell: (row) => row.site },
              { name: "Batch", isNumber: true, cell: (row) => row.batch },
            ]}
            rows={shown.rows.slice(0, 200)}
            keyOf={(row) => row.device}
          />
        </>
      )}
    </Section>
  );
}

export function PlanPage() {
  return (
    <>
      <PlanJob />
      <PlanRollout />
    </>
  );
}
