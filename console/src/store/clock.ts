// The time of day, for ages that grow on the page: one timer for all of them.
import { signal } from "@preact/signals";

export const now = signal(new Date());
setInterval(() => {
  if (!document.hidden) now.value = new Date();
}, 1000);
