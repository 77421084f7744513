// A button for an action of the server: busy while it runs, its refusal beside it. A dangerous one
// first says what will happen, and asks once.
import type { ComponentChildren } from "preact";
import { useEffect, useRef, useState } from "preact/hooks";
import { asRefusal, type Refusal } from "../api/call";
import { Refused } from "./refused";

export interface ActionProps {
  readonly label: string;
  /** "stay": more must be entered first, and the dialog stays open. */
  readonly run: () => Promise<unknown>;
  /** What will happen: the dialog asks first. */
  readonly warns?: string;
  readonly kind?: "main" | "danger" | "small" | "huge";
  readonly disabled?: boolean;
  /** More text or fields for the dialog. */
  readonly children?: ComponentChildren;
}

export function Action({ label, run, warns, kind, disabled, children }: ActionProps) {
  const [busy, setBusy] = useState(false);
  const [refusal, setRefusal] = useState<Refusal>();
  const [open, setOpen] = useState(false);
  const dialog = useRef<HTMLDialogElement>(null);
  useEffect(() => {
    if (open) dialog.current?.showModal();
  }, [open]);
  const go = async () => {
    setBusy(true);
    setRefusal(undefined);
    try {
      if ((await run()) !== "stay") dialog.current?.close();
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
        onClick={() => (asks ? setOpen(true) : void go())}
      >
        {label}
        {asks ? " …" : ""}
      </button>
      {!asks && <Refused refusal={refusal} />}
      {asks && (
        <dialog
          ref={dialog}
          aria-label={label}
          onClose={() => {
            setOpen(false);
            setRefusal(undefined);
          }}
        >
          {open && (
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
          )}
        </dialog>
      )}
    </span>
  );
}
