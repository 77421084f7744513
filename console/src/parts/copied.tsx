// A value to copy with one press. The one that was copied last says so until another is, so that
// the next in a list of values is found again after a look at the device's console.
import { signal } from "@preact/signals";
import { useMemo } from "preact/hooks";

/** Which value was copied last, and what is said about it. */
const last = signal<{ of: object; said: string } | undefined>(undefined);

/** Without a clipboard (a page over plain HTTP), or one that may not be used, the browser's older
 * way. */
async function copy(text: string): Promise<void> {
  try {
    return await navigator.clipboard.writeText(text);
  } catch {
    copyBySelection(text);
  }
}

function copyBySelection(text: string): void {
  const focused = document.activeElement;
  const area = document.createElement("textarea");
  area.value = text;
  document.body.append(area);
  area.select();
  const done = document.execCommand("copy");
  area.remove();
  if (focused instanceof HTMLElement) focused.focus();
  if (!done) throw new Error("the browser does not let the page copy");
}

export function Copied({ text, name }: { text: string; name: string }) {
  // biome-ignore lint/correctness/useExhaustiveDependencies: another text is another value
  const of = useMemo(() => ({}), [text]);
  const said = last.value?.of === of ? last.value.said : "";
  const press = async () => {
    try {
      await copy(text);
      last.value = { of, said: "Copied" };
    } catch {
      last.value = { of, said: "Not copied; select it and copy it by hand" };
    }
  };
  return (
    <span class="copied">
      <button type="button" class="small" aria-label={`Copy ${name}`} onClick={() => void press()}>
        Copy
      </button>{" "}
      <span role="status">{said}</span>
    </span>
  );
}
