// A value to copy with one press. The one that was copied last says so until another is, so that
// the next in a list of values is found again after a look at the device's console.
import { signal } from "@preact/signals";
import { useRef } from "preact/hooks";

/** Which button copied last, what it copied, and what is said about it. */
const last = signal<{ by: object; text: string; said: string } | undefined>(undefined);

/** Without a clipboard (a page over plain HTTP), the browser's older way. */
async function copy(text: string): Promise<void> {
  if (navigator.clipboard) return navigator.clipboard.writeText(text);
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
  const by = useRef({}).current;
  const said = last.value?.by === by && last.value.text === text ? last.value.said : "";
  const press = async () => {
    try {
      await copy(text);
      last.value = { by, text, said: "Copied" };
    } catch {
      last.value = { by, text, said: "Not copied: mark it and copy it by hand" };
    }
  };
  return (
    <span class="copied">
      <button type="button" class="small" aria-label={`Copy ${name}`} onClick={() => void press()}>
        Copy
      </button>
      <span role="status">{said}</span>
    </span>
  );
}
