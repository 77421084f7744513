// Finds anything by name: a combobox with a list (WAI-ARIA APG). Images, devices, addresses and
// checksums come from the server.
import { useEffect, useId, useLayoutEffect, useRef, useState } from "preact/hooks";
import { useAnswer } from "../store/answers";
import { go, pageOf } from "../store/place";
import { may } from "../store/session";
import { pageNames } from "./pages";

interface Entry {
  readonly kind: string;
  readonly name: string;
  readonly detail: string;
  readonly act: () => void;
}

const pathOf: Readonly<Record<string, (name: string) => string>> = {
  image: pageOf.image,
  device: pageOf.device,
  address: pageOf.address,
};

function commands(showKeys: () => void): Entry[] {
  const pages = pageNames
    .filter((one) => one.needs === undefined || may(one.needs))
    .map((one) => ({ kind: "page", name: one.name, detail: "", act: () => go(`/${one.path}`) }));
  const more: (Entry & { allowed: boolean })[] = [
    {
      kind: "do",
      name: "Plan a change",
      detail: "of one device or of many",
      act: () => go("/plan"),
      allowed: may("POST /v1/jobs"),
    },
    {
      kind: "do",
      name: "Add a device",
      detail: "",
      act: () => go("/devices?add=yes"),
      allowed: may("POST /v1/devices"),
    },
    {
      kind: "do",
      name: "Open a rescue session",
      detail: "",
      act: () => go("/rescue"),
      allowed: may("POST /v1/rescues"),
    },
    {
      kind: "do",
      name: "Verify everything",
      detail: "read all stored bytes again",
      act: () => go("/server/verification"),
      allowed: may("POST /v1/verification"),
    },
    {
      kind: "do",
      name: "People",
      detail: "who manages the server",
      act: () => go("/server/people"),
      allowed: true,
    },
    {
      kind: "do",
      name: "Settings in force",
      detail: "",
      act: () => go("/server/settings"),
      allowed: true,
    },
    { kind: "do", name: "Keys", detail: "what the keyboard does", act: showKeys, allowed: true },
  ];
  return [...pages, ...more.filter((one) => one.allowed)];
}

export function Finder({ close, showKeys }: { close: () => void; showKeys: () => void }) {
  const dialog = useRef<HTMLDialogElement>(null);
  const id = useId();
  const [text, setText] = useState("");
  const [asked, setAsked] = useState("");
  const [at, setAt] = useState(0);
  // Before the next key: text typed at once after "/" is for the field.
  useLayoutEffect(() => dialog.current?.showModal(), []);
  useEffect(() => {
    const timer = setTimeout(() => setAsked(text.trim()), 120);
    return () => clearTimeout(timer);
  }, [text]);
  const { answer, pending } = useAnswer(asked.length > 0 ? "GET /v1/find" : null, { text: asked });
  const folded = text.trim().toLowerCase();
  const entries: Entry[] = [
    ...commands(showKeys).filter((one) => one.name.toLowerCase().includes(folded)),
    ...(folded === "" ? [] : (answer?.found ?? [])).map((one) => ({
      kind: one.kind,
      name: one.name,
      detail: one.detail,
      act: () => go((pathOf[one.kind] ?? pageOf.image)(one.name)),
    })),
  ];
  const current = Math.min(at, entries.length - 1);
  // The dialog reports its closing only later: by then the next one may be open, and must not be
  // closed.
  const left = useRef(false);
  const leave = () => {
    if (left.current) return;
    left.current = true;
    dialog.current?.close();
    close();
  };
  const choose = (entry: Entry | undefined) => {
    if (!entry) return;
    leave();
    entry.act();
  };
  const press = (event: KeyboardEvent) => {
    if (event.key === "ArrowDown") setAt(Math.min(current + 1, entries.length - 1));
    else if (event.key === "ArrowUp") setAt(Math.max(current - 1, 0));
    else if (event.key === "Enter") choose(entries[current]);
    else if (event.key === "Escape") leave();
    else return;
    event.preventDefault();
  };
  return (
    <dialog ref={dialog} class="finder" aria-label="Find" onClose={leave}>
      <label for={`${id}-text`}>Find an image, device, address or checksum, or what to do</label>
      <input
        id={`${id}-text`}
        type="text"
        role="combobox"
        aria-expanded="true"
        aria-controls={`${id}-list`}
        aria-activedescendant={entries.length > 0 ? `${id}-${current}` : ""}
        aria-autocomplete="list"
        autocomplete="off"
        spellcheck={false}
        value={text}
        onInput={(event) => {
          setText(event.currentTarget.value);
          setAt(0);
        }}
        onKeyDown={press}
      />
      <div id={`${id}-list`} role="listbox" aria-label="Found">
        {entries.map((one, i) => (
          // biome-ignore lint/a11y/useFocusableInteractive lint/a11y/useKeyWithClickEvents: the field above has the focus and the keys
          <div
            key={`${one.kind} ${one.name}`}
            id={`${id}-${i}`}
            role="option"
            aria-selected={i === current}
            onClick={() => choose(one)}
          >
            <span class="kind">{one.kind}</span> <span class="name">{one.name}</span>{" "}
            <span class="detail">{one.detail}</span>
          </div>
        ))}
      </div>
      <p role="status">
        {entries.length === 0 && folded !== "" && !pending && asked === text.trim()
          ? `Nothing holds '${text.trim()}'. A checksum is found by its first 8 digits.`
          : ""}
      </p>
    </dialog>
  );
}
