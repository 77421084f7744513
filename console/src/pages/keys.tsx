// Keys that work on every page. Those of one letter can be switched off: a person who speaks to the
// computer, or has a shaky hand, would press them by accident (WCAG 2.1.4).
import { useEffect, useRef, useState } from "preact/hooks";
import { Tick } from "../parts/field";

const place = "single-keys";

export function singleKeysAreOn(): boolean {
  return localStorage.getItem(place) !== "off";
}

function isTyping(target: EventTarget | null): boolean {
  if (!(target instanceof HTMLElement)) return false;
  return target.isContentEditable || ["INPUT", "TEXTAREA", "SELECT"].includes(target.tagName);
}

export function useKeys({ find, showKeys }: { find: () => void; showKeys: () => void }): void {
  useEffect(() => {
    const press = (event: KeyboardEvent) => {
      if ((event.ctrlKey || event.metaKey) && event.key === "k") {
        event.preventDefault();
        find();
        return;
      }
      if (event.ctrlKey || event.metaKey || event.altKey || isTyping(event.target)) return;
      if (!singleKeysAreOn() || document.querySelector("dialog[open]")) return;
      if (event.key === "/") {
        event.preventDefault();
        find();
      } else if (event.key === "?") {
        showKeys();
      }
    };
    document.addEventListener("keydown", press);
    return () => document.removeEventListener("keydown", press);
  }, [find, showKeys]);
}

export function Keys({ close }: { close: () => void }) {
  const dialog = useRef<HTMLDialogElement>(null);
  const [on, setOn] = useState(singleKeysAreOn());
  useEffect(() => dialog.current?.showModal(), []);
  return (
    <dialog ref={dialog} aria-label="Keys" onClose={close}>
      <h2>Keys</h2>
      <dl class="facts">
        <div>
          <dt>
            <kbd>/</kbd> or <kbd>Ctrl</kbd>+<kbd>K</kbd>
          </dt>
          <dd>Find an image, device, address or checksum; go to a page; do something</dd>
        </div>
        <div>
          <dt>
            <kbd>?</kbd>
          </dt>
          <dd>Show this</dd>
        </div>
        <div>
          <dt>
            <kbd>Tab</kbd>, <kbd>Enter</kbd>, <kbd>Space</kbd>
          </dt>
          <dd>Every button, link and field in turn</dd>
        </div>
        <div>
          <dt>
            <kbd>Esc</kbd>
          </dt>
          <dd>Close what is open; nothing is changed</dd>
        </div>
      </dl>
      <Tick
        label="Use / and ? as keys"
        value={on}
        set={(value) => {
          localStorage.setItem(place, value ? "on" : "off");
          setOn(value);
        }}
      />
      <p class="buttons">
        <button type="button" onClick={() => dialog.current?.close()}>
          Close
        </button>
      </p>
    </dialog>
  );
}
