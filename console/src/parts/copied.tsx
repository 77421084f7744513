// A value to copy with one press, with a confirmation.
import { useState } from "preact/hooks";

/** Without a clipboard (a page over plain HTTP), the browser's older way. */
async function copy(text: string): Promise<void> {
  if (navigator.clipboard) return navigator.clipboard.writeText(text);
  const area = document.createElement("textarea");
  area.value = text;
  document.body.append(area);
  area.select();
  const done = document.execCommand("copy");
  area.remove();
  if (!done) throw new Error("the browser does not let the page copy");
}

export function Copied({ text, name }: { text: string; name: string }) {
  const [said, setSaid] = useState("");
  const press = async () => {
    try {
      await copy(text);
      setSaid("Copied");
    } catch {
      setSaid("Not copied: mark it and copy it by hand");
    }
    setTimeout(() => setSaid(""), 3000);
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
