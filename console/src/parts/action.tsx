// A button that does something at the server: busy while it runs, its refusal beside it.
// A dangerous one says first what will happen, and asks once.
import type { ComponentChildren } from "preact";
import { useRef, useState } from "preact/hooks";
import { asRefusal, type Refusal } from "../api/call";
import { Refused } from "./refused";

export interface ActionProps {
  readonly label: string;
  readonly run: () => Promise<unknown>;
  /** What will happen: it is asked about before. */
  readonly warns?: string;
  readonly kind?: "main" | "danger" | "small" | "huge";
  readonly disabled?: boolean;
  /** More to say or to fill in before it is done. */
  readonly children?: ComponentChildren;
}

export function Action({ label, run, warns, kind, disabled, children }: ActionProps) {
  const [busy, setBusy] = useState(false);
  const [refusal, setRefusal] = useState<Refusal>();
  const dialog = useRef<HTMLDialogElement>(null);
  const go = async () => {
    setBusy(true);
    setRefusal(undefined);
    try {
      await run();
      dialog.current?.close();
    } catch (failure) {
      setRefusal(asRefusal(failure));
    }
    setBusy(false);
  };
  const asks = warns !== undefined || children !== undefined;
  return (
    <span class="action">
      <button
        type="button"
        class={kind ?? ""}
        disabled={disabled === true || (busy && !asks)}
        aria-busy={busy}
        onClick={() => (asks ? dialog.current?.showModal() : void go())}
      >
        {label}
        {asks ? " …" : ""}
      </button>
      {!asks && <Refused refusal={refusal} />}
      {asks && (
        <dialog ref={dialog} aria-label={label} onClose={() => setRefusal(undefined)}>
          <form
            onSubmit={(event) => {
              event.preventDefault();
              void go();
            }}
          >
            <h2>{label}</h2>
            {warns && <p>{warns}</p>}
            {children}
            <Refused refusal={refusal} />
            <p class="buttons">
              <button
                type="submit"
                class={kind === "danger" || kind === "huge" ? "danger" : "main"}
                disabled={busy}
              >
                {label}
              </button>
              <button type="button" onClick={() => dialog.current?.close()}>
                Cancel
              </button>
            </p>
          </form>
        </dialog>
      )}
    </span>
  );
}
