// Texts for the server's words, and how good or bad they are.

export type Mood = "good" | "plain" | "care" | "bad";

const moods: Readonly<Record<string, Mood>> = {
  complete: "good",
  vouched: "good",
  pass: "good",
  confirmed: "good",
  whole: "good",
  running: "plain",
  open: "plain",
  done: "plain",
  unvouched: "plain",
  unknown: "care",
  "vouched-weakly": "care",
  warn: "care",
  stalled: "care",
  stopped: "care",
  withdrawn: "care",
  partial: "care",
  refused: "bad",
  failed: "bad",
  abandoned: "bad",
  contradicted: "bad",
  stop: "bad",
  damaged: "bad",
  "cut-short": "bad",
};

export function moodOf(word: string): Mood {
  return moods[word] ?? "plain";
}

const verdicts: Readonly<Record<string, string>> = {
  pass: "In order",
  warn: "Take care",
  stop: "Stop",
  unknown: "Not known",
};

export function verdictWord(verdict: string): string {
  return verdicts[verdict] ?? verdict;
}

export function count(number: number, one: string, many = `${one}s`): string {
  return `${number.toLocaleString("en-GB")} ${number === 1 ? one : many}`;
}

export function sentenceCase(text: string): string {
  return text.charAt(0).toUpperCase() + text.slice(1);
}
