// A refusal in the server's words, at the place that caused it.
import type { Refusal } from "../api/call";
import { sentenceCase } from "../formats/words";

export function Refused({
  refusal,
  take,
}: {
  refusal: Refusal | undefined;
  /** Uses the nearest name, if that makes sense. */
  take?: (nearest: string) => void;
}) {
  if (!refusal) return null;
  const { nearest, expected, actual } = refusal.problem;
  return (
    <div class="refused" role="alert">
      <p>{sentenceCase(refusal.sentence)}.</p>
      {expected !== "" && (
        <dl class="two-values">
          <dt>Expected</dt>
          <dd class="digest">{expected}</dd>
          <dt>Received</dt>
          <dd class="digest">{actual}</dd>
        </dl>
      )}
      {nearest !== "" && take && (
        <button type="button" onClick={() => take(nearest)}>
          Use '{nearest}'
        </button>
      )}
    </div>
  );
}
