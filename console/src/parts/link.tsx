// A link within the console: the page changes without a reload.
import type { ComponentChildren } from "preact";

export function Link({
  to,
  follow,
  current,
  children,
}: {
  to: string;
  follow: (to: string) => void;
  current?: boolean;
  children: ComponentChildren;
}) {
  return (
    <a
      href={to}
      {...(current ? { "aria-current": "page" as const } : {})}
      onClick={(event) => {
        // Another tab or window is the browser's business.
        if (event.button !== 0 || event.ctrlKey || event.metaKey || event.shiftKey) return;
        event.preventDefault();
        follow(to);
      }}
    >
      {children}
    </a>
  );
}
