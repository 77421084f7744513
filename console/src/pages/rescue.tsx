// Rescue: check a network interface, and open it for a time to a device without a system.
import { useState } from "preact/hooks";
import { call } from "../api/call";
import type { RescueOpened } from "../api/operations";
import { Action } from "../parts/action";
import { At } from "../parts/at";
import { Choose, Field, Tick } from "../parts/field";
import { Link } from "../parts/link";
import { Refused } from "../parts/refused";
import { Empty, Section } from "../parts/section";
import { StateWord } from "../parts/state_word";
import { Table } from "../parts/table";
import { useAnswer } from "../store/answers";
import { now } from "../store/clock";
import { filter, go, pageOf } from "../store/place";
import { hasRight, may } from "../store/session";
import { Checks } from "./readiness";

function Open() {
  const interfaces = useAnswer("GET /v1/interfaces", {}, ["clock"]).answer?.interfaces ?? [];
  // Those that push into the device need a right of their own.
  const profiles = (useAnswer("GET /v1/rescue-profiles", {}, []).answer?.profiles ?? []).filter(
    (one) => one.way !== "waits" || hasRight("push"),
  );
  const [device, setDevice] = useState(filter("device"));
  const [wire, setWire] = useState("");
  const [profile, setProfile] = useState("");
  const [minutes, setMinutes] = useState("60");
  const [link, setLink] = useState("");
  const [anyDevice, setAnyDevice] = useState(false);
  const [ownAddress, setOwnAddress] = useState(true);
  const [despiteOther, setDespiteOther] = useState(false);
  const [image, setImage] = useState("");
  const [found, setFound] = useState<RescueOpened>();
  const names =
    useAnswer(device.trim().length > 1 ? "GET /v1/find" : null, { text: device.trim(), limit: 20 })
      .answer?.found ?? [];
  const ask = async (really: boolean) => {
    const answer = await call(
      "POST /v1/rescues",
      {},
      {
        device,
        interface: wire,
        profile,
        for_s: Math.round(Number(minutes) * 60),
        link_addresses: link.split(/[\s,]+/).filter((one) => one !== ""),
        any_device: anyDevice,
        own_address: ownAddress,
        despite_other: despiteOther,
        image,
        really,
      },
    );
    if (answer.rescue) go(pageOf.rescue(answer.rescue.number));
    else setFound(answer);
  };
  const chosen = profiles.find((one) => one.name === profile);
  if (profiles.length === 0) {
    return (
      <Section title="Open a session">
        <Empty>
          No profile yet: the settings say how each kind of device is brought back ([[rescue]]; see
          docs/guide/rescue.md).
        </Empty>
      </Section>
    );
  }
  return (
    <Section title="Open a session" wide>
      <div class="form-grid">
        <Field
          label="Device"
          hint="May be left out"
          value={device}
          set={setDevice}
          names={names.filter((one) => one.kind === "device").map((one) => one.name)}
        />
        <Choose
          label="Network interface of the wire"
          value={wire}
          set={setWire}
          choices={[
            { value: "", text: "choose one" },
            ...interfaces.map((one) => ({
              value: one.name,
              text: `${one.name}: ${one.up ? (one.carrier ? "link" : "no link") : "down"}${one.addresses.length > 0 ? `, ${one.addresses.join(", ")}` : ""}`,
            })),
          ]}
        />
        <Choose
          label="Profile"
          {...(chosen ? { hint: chosen.begin } : {})}
          value={profile}
          set={setProfile}
          choices={[
            { value: "", text: "of the device's platform" },
            ...profiles.map((one) => ({
              value: one.name,
              text: `${one.name} (${one.platform}, ${one.way})`,
            })),
          ]}
        />
        <Field label="Minutes" type="number" value={minutes} set={setMinutes} />
        <Field
          label="Only these link addresses"
          hint="Empty: the first that asks"
          value={link}
          set={setLink}
          example="02:00:5e:10:00:01"
        />
        <Field
          label="Another image"
          hint="In place of the profile's"
          value={image}
          set={setImage}
        />
      </div>
      <Tick
        label="Add the address that the device calls, and take it away at the end"
        value={ownAddress}
        set={setOwnAddress}
      />
      <Tick label="Serve every device that asks" value={anyDevice} set={setAnyDevice} />
      <Tick
        label="Open it although another address server answers"
        value={despiteOther}
        set={setDespiteOther}
      />
      <p class="buttons">
        <Action label="Check the wire" disabled={wire === ""} run={() => ask(false)} />
        <Action
          label="Open the session"
          kind="main"
          disabled={wire === ""}
          warns={`For ${minutes} minutes this server gives addresses and files on ${wire || "the wire"}. Everything is put back at the end.`}
          run={() => ask(true)}
        />
      </p>
      <div aria-live="polite">{found && <Checks checks={found.checks} />}</div>
    </Section>
  );
}

export function RescuePage() {
  const { answer, refusal } = useAnswer("GET /v1/rescues", {}, ["rescue"]);
  const all = answer?.rescues ?? [];
  return (
    <div class="sections">
      {may("POST /v1/rescues") && <Open />}
      <Section title="Sessions" wide>
        <Refused refusal={refusal} />
        {answer && all.length === 0 && (
          <Empty>
            None yet. A session helps a device that has lost its system; it ends by itself.
          </Empty>
        )}
        {all.length > 0 && (
          <Table
            caption="Rescue sessions, the newest first"
            columns={[
              {
                name: "Session",
                isHead: true,
                cell: (one) => (
                  <Link to={pageOf.rescue(one.number)} follow={go}>
                    {one.number}: {one.device || one.interface}
                  </Link>
                ),
              },
              {
                name: "State",
                cell: (one) => (
                  <StateWord
                    word={one.ended_at === "" ? "open" : "closed"}
                    mood={one.ended_at === "" ? "care" : "plain"}
                  />
                ),
              },
              { name: "Stage", cell: (one) => one.large },
              { name: "Opened", cell: (one) => <At iso={one.opened_at} now={now.value} /> },
              { name: "By", cell: (one) => one.opened_by },
              { name: "What came of it", cell: (one) => one.summary.join("; ") || one.ended_why },
            ]}
            rows={all}
            keyOf={(one) => one.number}
          />
        )}
      </Section>
    </div>
  );
}
