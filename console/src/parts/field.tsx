// Fields of forms: a label that is always visible, an example, and the error.
import type { ComponentChildren, InputHTMLAttributes, TargetedEvent } from "preact";
import { useId } from "preact/hooks";

interface Common {
  readonly label: string;
  readonly hint?: string;
  readonly value: string;
  readonly set: (value: string) => void;
}

export interface FieldProps extends Common {
  readonly type?: keyof typeof kinds;
  readonly needed?: boolean;
  readonly names?: readonly string[]; // to choose from, or type another
  readonly example?: string;
  readonly fill?: "username" | "current-password" | "new-password" | "off";
}

function Labelled({
  id,
  label,
  hint,
  children,
}: {
  id: string;
  label: string;
  hint: string | undefined;
  children: ComponentChildren;
}) {
  return (
    <div class="field">
      <label for={id}>{label}</label>
      {children}
      {hint && (
        <p class="hint" id={`${id}-hint`}>
          {hint}
        </p>
      )}
    </div>
  );
}

// One element for each type: the library's types distinguish them by it.
type Attributes = Omit<InputHTMLAttributes<HTMLInputElement>, "type" | "role" | "list">;
const kinds = {
  text: (more: Attributes) => <input type="text" {...more} />,
  password: (more: Attributes) => <input type="password" {...more} />,
  search: (more: Attributes) => <input type="search" {...more} />,
  number: (more: Attributes) => <input type="number" {...more} />,
  "datetime-local": (more: Attributes) => <input type="datetime-local" {...more} />,
};

export function Field(props: FieldProps) {
  const { label, hint, value, set, type, needed, names, example, fill } = props;
  const id = useId();
  const common = {
    id,
    value,
    required: needed === true,
    autocomplete: fill ?? ("off" as const),
    spellcheck: false,
    ...(example ? { placeholder: example } : {}),
    ...(hint ? { "aria-describedby": `${id}-hint` } : {}),
    onInput: (event: TargetedEvent<HTMLInputElement>) => set(event.currentTarget.value),
  };
  const Kind = kinds[type ?? "text"];
  return (
    <Labelled id={id} label={label} hint={hint}>
      {names ? <input type="text" list={`${id}-names`} {...common} /> : <Kind {...common} />}
      {names && (
        <datalist id={`${id}-names`}>
          {names.map((name) => (
            <option key={name} value={name} />
          ))}
        </datalist>
      )}
    </Labelled>
  );
}

export function TextArea({ label, hint, value, set, rows }: Common & { readonly rows?: number }) {
  const id = useId();
  return (
    <Labelled id={id} label={label} hint={hint}>
      <textarea
        id={id}
        rows={rows ?? 4}
        value={value}
        spellcheck={false}
        {...(hint ? { "aria-describedby": `${id}-hint` } : {})}
        onInput={(event: TargetedEvent<HTMLTextAreaElement>) => set(event.currentTarget.value)}
      />
    </Labelled>
  );
}

export interface Choice {
  readonly value: string;
  readonly text: string;
}

export function Choose({
  label,
  hint,
  value,
  set,
  choices,
}: Common & { choices: readonly Choice[] }) {
  const id = useId();
  // The chosen value stays visible, even if it no longer exists.
  const all = choices.some((one) => one.value === value)
    ? choices
    : [...choices, { value, text: value }];
  return (
    <Labelled id={id} label={label} hint={hint}>
      <select
        id={id}
        value={value}
        {...(hint ? { "aria-describedby": `${id}-hint` } : {})}
        onChange={(event: TargetedEvent<HTMLSelectElement>) => set(event.currentTarget.value)}
      >
        {all.map((one) => (
          <option key={one.value} value={one.value}>
            {one.text}
          </option>
        ))}
      </select>
    </Labelled>
  );
}

export function Tick({
  label,
  value,
  set,
}: {
  label: string;
  value: boolean;
  set: (value: boolean) => void;
}) {
  return (
    <label class="tick">
      <input
        type="checkbox"
        checked={value}
        onChange={(event: TargetedEvent<HTMLInputElement>) => set(event.currentTarget.checked)}
      />{" "}
      {label}
    </label>
  );
}
