// A form for the facts of an image.
import { useState } from "preact/hooks";
import type { FactFields, Facts, Suggestion } from "../api/operations";
import { sizeText } from "../formats/size";
import { Choose, Field, TextArea } from "../parts/field";
import { imageRoles } from "./images";

type Name = keyof FactFields;
type Values = Readonly<Record<Name, string>>;

const noFacts: Values = {
  maker: "",
  platform: "",
  hardware: "",
  role: "",
  version: "",
  line: "",
  stage: "",
  space: "",
  remarks: "",
  source: "",
};

export function factsOf(facts: Facts): Values {
  return {
    ...noFacts,
    maker: facts.maker,
    platform: facts.platform.join(", "),
    hardware: facts.hardware.join(", "),
    role: facts.role,
    version: facts.version,
    line: facts.line,
    stage: facts.stage,
    space: facts.space === null ? "" : sizeText(facts.space),
    remarks: facts.remarks,
    source: facts.source,
  };
}

export interface FactState {
  readonly values: Values;
  readonly set: (name: Name, value: string) => void;
  /** The typed ones. */
  readonly changed: () => FactFields;
  /** Uses suggestions from name and content where nothing was typed. */
  readonly suggest: (all: readonly Suggestion[]) => void;
}

const isName = (text: string): text is Name => text in noFacts;

export function useFacts(first: Values = noFacts): FactState {
  const [typed, setTyped] = useState<Partial<Values>>({});
  const [suggested, setSuggested] = useState<Partial<Values>>({});
  return {
    values: { ...first, ...suggested, ...typed },
    set: (name, value) => setTyped((before) => ({ ...before, [name]: value })),
    changed: () => ({ ...typed }),
    suggest: (all) => {
      const found: Partial<Record<Name, string>> = {};
      for (const one of all) {
        if (isName(one.fact)) found[one.fact] = one.text;
      }
      setSuggested(found);
    },
  };
}

const choices = (all: readonly string[]) => [
  { value: "", text: "not known" },
  ...all.map((value) => ({ value, text: value })),
];

export function FactForm({ facts }: { facts: FactState }) {
  const { values, set } = facts;
  return (
    <div class="form-grid">
      <Field label="Maker" value={values.maker} set={(value) => set("maker", value)} />
      <Field
        label="Platforms"
        hint="Separated by commas"
        value={values.platform}
        set={(value) => set("platform", value)}
      />
      <Field
        label="Hardware revisions"
        hint="Empty: any"
        value={values.hardware}
        set={(value) => set("hardware", value)}
      />
      <Choose
        label="Role"
        value={values.role}
        set={(value) => set("role", value)}
        choices={choices(imageRoles)}
      />
      <Field label="Version" value={values.version} set={(value) => set("version", value)} />
      <Field
        label="Line"
        hint="Empty: as the version tells"
        value={values.line}
        set={(value) => set("line", value)}
      />
      <Choose
        label="Stage"
        value={values.stage}
        set={(value) => set("stage", value)}
        choices={choices(["new", "proven", "retiring"])}
      />
      <Field
        label="Needs on a device"
        value={values.space}
        set={(value) => set("space", value)}
        example="800 MiB"
      />
      <Field label="Source" value={values.source} set={(value) => set("source", value)} />
      <TextArea
        label="Remarks"
        hint="What must be read before it is used"
        value={values.remarks}
        set={(value) => set("remarks", value)}
        rows={2}
      />
    </div>
  );
}
