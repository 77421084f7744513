// A part of a page, with its heading; its content, or that there is none yet.
import type { ComponentChildren } from "preact";
import { useId } from "preact/hooks";

export function Section({
  title,
  note,
  wide,
  children,
}: {
  title: string;
  note?: string;
  wide?: boolean;
  children: ComponentChildren;
}) {
  const id = useId();
  return (
    <section aria-labelledby={id} class={wide ? "wide" : ""}>
      <h2 id={id}>{title}</h2>
      {note && <p class="hint">{note}</p>}
      {children}
    </section>
  );
}

/** For an empty list: what to do first. */
export function Empty({ children }: { children: ComponentChildren }) {
  return <p class="empty">{children}</p>;
}

export function Facts({ children }: { children: ComponentChildren }) {
  return <dl class="facts">{children}</dl>;
}

export function Fact({ name, children }: { name: string; children: ComponentChildren }) {
  return (
    <div>
      <dt>{name}</dt>
      <dd>{children}</dd>
    </div>
  );
}
