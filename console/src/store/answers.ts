// An answer of the server, requested while it is shown, and again when it has changed.
import { useEffect, useRef, useState } from "preact/hooks";
import { type Answer, type Asked, ask, asRefusal, type Question, type Refusal } from "../api/call";
import { endedWhy, me } from "./session";
import { versionOf } from "./stream";

export interface Answered<N extends Question> {
  /** The last one; it stays while a new one is requested, and while the server is away. */
  readonly answer: Answer<N> | undefined;
  readonly refusal: Refusal | undefined;
  readonly pending: boolean;
  readonly again: () => void;
}

const leastPause = 2000;

/** `on`: kinds of the change log, or "ledger", after which it is requested again. `name`
 * null: nothing is requested. */
export function useAnswer<N extends Question>(
  name: N | null,
  asked: Asked<N>,
  on: readonly string[] = [],
): Answered<N> {
  const [state, setState] = useState<Omit<Answered<N>, "again"> & { of: string }>({
    answer: undefined,
    refusal: undefined,
    pending: true,
    of: "",
  });
  const [round, setRound] = useState(0);
  const lastAsked = useRef(0);
  const version = versionOf(on);
  const question = name === null ? "" : `${name} ${JSON.stringify(asked)}`;
  const who = `${me.value?.name} ${endedWhy.value}`;
  // biome-ignore lint/correctness/useExhaustiveDependencies: the question stands for name and asked; version, round and who are why it is asked again
  useEffect(() => {
    if (name === null || endedWhy.peek() !== "") return;
    const ending = new AbortController();
    const isNew = state.of !== question;
    const pause = isNew ? 0 : Math.max(0, lastAsked.current + leastPause - Date.now());
    setState((before) => ({
      answer: before.of === question ? before.answer : undefined,
      refusal: before.of === question ? before.refusal : undefined,
      pending: true,
      of: question,
    }));
    const askNow = async () => {
      lastAsked.current = Date.now();
      try {
        const answer = await ask(name, asked, ending.signal);
        if (!ending.signal.aborted) {
          setState({ answer, refusal: undefined, pending: false, of: question });
        }
      } catch (failure) {
        if (ending.signal.aborted) return;
        const refusal = asRefusal(failure);
        setState((before) => ({ ...before, refusal, pending: false }));
      }
    };
    const timer = setTimeout(() => void askNow(), pause);
    return () => {
      clearTimeout(timer);
      ending.abort();
    };
  }, [question, version, round, who]);
  const isOf = state.of === question;
  return {
    answer: isOf ? state.answer : undefined,
    refusal: isOf ? state.refusal : undefined,
    pending: !isOf || state.pending,
    again: () => setRound((before) => before + 1),
  };
}
