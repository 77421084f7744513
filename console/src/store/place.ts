// The viewer's place in the console: the address of the page, with its filters in it.
import { computed, signal } from "@preact/signals";

const here = () => ({ path: location.pathname, query: new URLSearchParams(location.search) });

export const place = signal(here());
/** The parts of the path, decoded: "/images/a%2Fb" is ["images", "a/b"]. */
export const parts = computed(() =>
  place.value.path
    .split("/")
    .filter((one) => one !== "")
    .map((one) => {
      try {
        return decodeURIComponent(one);
      } catch {
        return one;
      }
    }),
);

addEventListener("popstate", () => {
  place.value = here();
});

export function go(address: string): void {
  if (address === location.pathname + location.search) return;
  history.pushState(null, "", address);
  place.value = here();
  scrollTo(0, 0);
}

/** One filter; an empty value removes it. The list begins again from its first row. */
export function setFilter(name: string, value: string): void {
  const query = new URLSearchParams(location.search);
  if (value === "") query.delete(name);
  else query.set(name, value);
  if (name !== "skip") query.delete("skip");
  const text = query.toString();
  history.replaceState(null, "", location.pathname + (text === "" ? "" : `?${text}`));
  place.value = here();
}

export function filter(name: string): string {
  return place.value.query.get(name) ?? "";
}

const segment = encodeURIComponent;
/** The addresses of pages about one thing. */
export const pageOf = {
  image: (name: string) => `/images/${segment(name)}`,
  device: (name: string) => `/devices/${segment(name)}`,
  address: (address: string) => `/addresses/${segment(address)}`,
  job: (device: string) => `/jobs/${segment(device)}`,
  rollout: (name: string) => `/rollouts/${segment(name)}`,
  rescue: (number: number) => `/rescue/${number}`,
  kit: (name: string) => `/kits/${segment(name)}`,
  comparison: (holder: string, name: string, before = 0, after = 0) =>
    `/backups/${segment(holder)}/${segment(name)}` +
    (after > 0 ? `?before=${before}&after=${after}` : ""),
};
