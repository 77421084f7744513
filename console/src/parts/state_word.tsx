// A state: a word first, then a mark and a colour for those who see them.
import { type Mood, moodOf } from "../formats/words";

const marks: Readonly<Record<Mood, string>> = { good: "●", plain: "○", care: "▲", bad: "■" };

export function StateWord({ word, mood }: { word: string; mood?: Mood }) {
  const how = mood ?? moodOf(word);
  return (
    <span class={`state ${how}`}>
      <span aria-hidden="true">{marks[how]} </span>
      {word}
    </span>
  );
}
