// Devices: the inventory, by name; filters are in the address.
import { useState } from "preact/hooks";
import { call } from "../api/call";
import type { Device } from "../api/operations";
import { Action } from "../parts/action";
import { Choose, Field } from "../parts/field";
import { Link } from "../parts/link";
import { Pager } from "../parts/pager";
import { Refused } from "../parts/refused";
import { Empty } from "../parts/section";
import { Table } from "../parts/table";
import { useAnswer } from "../store/answers";
import { filter, go, pageOf, setFilter } from "../store/place";
import { may } from "../store/session";
import { DeviceForm, useDeviceFields } from "./device_form";

const rowsOfPage = 100;

const columns = [
  {
    name: "Device",
    isHead: true,
    cell: (one: Device) => (
      <Link to={pageOf.device(one.name)} follow={go}>
        {one.name}
      </Link>
    ),
  },
  { name: "Platform", cell: (one: Device) => one.platform || "–" },
  { name: "Running version", cell: (one: Device) => one.running_version || "–" },
  { name: "Addresses", cell: (one: Device) => one.addresses || "–" },
  {
    name: "Open job",
    cell: (one: Device) =>
      one.job === "" ? (
        "–"
      ) : (
        <Link to={pageOf.job(one.name)} follow={go}>
          {one.job}
        </Link>
      ),
  },
];

function AddDevice() {
  const [name, setName] = useState("");
  const form = useDeviceFields();
  return (
    <Action
      label="Add a device"
      kind="main"
      run={async () => {
        const made = await call("POST /v1/devices", {}, { ...form.typed, name });
        go(pageOf.device(made.name));
      }}
    >
      <Field label="Name" value={name} set={setName} needed />
      <DeviceForm form={form} />
    </Action>
  );
}

export function DevicesPage() {
  const skip = Number(filter("skip")) || 0;
  const asked = {
    text: filter("text"),
    site: filter("site"),
    platform: filter("platform"),
    limit: rowsOfPage,
    skip,
  };
  const { answer, refusal, pending } = useAnswer("GET /v1/devices", asked, ["device", "job"]);
  const sites = useAnswer("GET /v1/sites", {}, ["device", "site"]).answer?.sites ?? [];
  const isFiltered = ["text", "site", "platform"].some((one) => filter(one) !== "");
  return (
    <>
      <form class="filters" aria-label="Filters" onSubmit={(event) => event.preventDefault()}>
        <Field
          label="Name, address or remark"
          type="search"
          value={filter("text")}
          set={(value) => setFilter("text", value)}
        />
        <Choose
          label="Site"
          value={filter("site")}
          set={(value) => setFilter("site", value)}
          choices={[
            { value: "", text: "all" },
            ...sites.map((one) => ({ value: one.name, text: `${one.name} (${one.devices})` })),
          ]}
        />
        <Field
          label="Platform"
          value={filter("platform")}
          set={(value) => setFilter("platform", value)}
        />
        {may("POST /v1/devices") && <AddDevice />}
      </form>
      <Refused refusal={refusal} />
      {answer && answer.devices.length === 0 && (
        <Empty>
          {isFiltered
            ? "No device fits these filters."
            : "No device yet. A device gets its backups, jobs and stories under its name; a table of many is imported by 'vantro device import'."}
        </Empty>
      )}
      {answer && answer.devices.length > 0 && (
        <>
          <div aria-busy={pending}>
            <Table
              caption="Devices by name"
              columns={[
                columns[0],
                { name: "Site", cell: (one: Device) => one.site || "–" },
                ...columns.slice(1),
              ].filter((one) => one !== undefined)}
              rows={answer.devices}
              keyOf={(one) => one.name}
            />
          </div>
          <Pager
            skip={skip}
            shown={answer.devices.length}
            inAll={answer.in_all}
            page={rowsOfPage}
            what="devices"
            set={(value) => setFilter("skip", value === 0 ? "" : String(value))}
          />
        </>
      )}
    </>
  );
}
