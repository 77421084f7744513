// A form for the facts about a device.
import { useState } from "preact/hooks";
import type { Device, DeviceFields } from "../api/operations";
import { Field } from "../parts/field";

const fields = [
  { name: "addresses", label: "Addresses", hint: "Separated by commas" },
  { name: "link_address", label: "Link address", hint: "" },
  { name: "maker", label: "Maker", hint: "" },
  { name: "platform", label: "Platform", hint: "Decides which images fit" },
  { name: "hardware", label: "Hardware revision", hint: "" },
  { name: "site", label: "Site", hint: "" },
  {
    name: "backup_every",
    label: "Backup every",
    hint: "daily, weekly, 12h, never; empty: as its site",
  },
  { name: "running_version", label: "Running version", hint: "" },
  { name: "remarks", label: "Remarks", hint: "" },
] as const;

type Name = (typeof fields)[number]["name"];

export interface DeviceFormState {
  readonly values: Readonly<Record<Name, string>>;
  readonly typed: DeviceFields;
  readonly set: (name: Name, value: string) => void;
}

export function useDeviceFields(device?: Device): DeviceFormState {
  const [typed, setTyped] = useState<DeviceFields>({});
  const values: Record<Name, string> = {
    addresses: typed.addresses ?? device?.addresses.split(" ").join(", ") ?? "",
    link_address: typed.link_address ?? device?.link_address ?? "",
    maker: typed.maker ?? device?.maker ?? "",
    platform: typed.platform ?? device?.platform ?? "",
    hardware: typed.hardware ?? device?.hardware ?? "",
    site: typed.site ?? device?.site ?? "",
    backup_every: typed.backup_every ?? device?.backup_every ?? "",
    running_version: typed.running_version ?? device?.running_version ?? "",
    remarks: typed.remarks ?? device?.remarks ?? "",
  };
  return {
    values,
    typed,
    set: (name, value) => setTyped((before) => ({ ...before, [name]: value })),
  };
}

export function DeviceForm({ form }: { form: DeviceFormState }) {
  return (
    <div class="form-grid">
      {fields.map(({ name, label, hint }) => (
        <Field
          key={name}
          label={label}
          {...(hint === "" ? {} : { hint })}
          value={form.values[name]}
          set={(value) => form.set(name, value)}
        />
      ))}
    </div>
  );
}
