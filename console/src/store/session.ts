// Who is logged in, and what they may do.
import { computed, signal } from "@preact/signals";
import { asRefusal, call, hearOfCalls, type Refusal } from "../api/call";
import type { Me, OperationName } from "../api/operations";
import { roles } from "../api/operations";

/** undefined: not asked yet; null: nobody. */
export const me = signal<Me | null | undefined>(undefined);
/** Why the log-in ended while the page was open. The page stays behind the form. */
export const endedWhy = signal("");
/** The server could not be asked at all. */
export const unreachableAtStart = signal<Refusal | undefined>(undefined);

const ranks = ["anyone", "mirror", "look", "operate", "administer"];

/** Whether the viewer's role allows it; other actions are not shown. */
export function may(name: OperationName): boolean {
  const role = me.value?.role ?? "anyone";
  return ranks.indexOf(role) >= ranks.indexOf(roles[name]);
}

const rights = computed(() => (me.value?.rights ?? "").split(",").map((one) => one.trim()));
export function hasRight(right: "push"): boolean {
  return rights.value.includes(right);
}

hearOfCalls(({ why }) => {
  if (me.value) endedWhy.value = why;
  else me.value = null;
});

// Whether somebody has logged in with this browser: else there is nothing to ask, and the refusal
// would be an error in the browser's log. The log-in itself is in a cookie that no script sees.
const mark = "logged-in";

export async function askWho(): Promise<void> {
  if (localStorage.getItem(mark) === null) {
    me.value = null;
    return;
  }
  try {
    me.value = await call("GET /v1/me", {});
    unreachableAtStart.value = undefined;
  } catch (failure) {
    const refusal = asRefusal(failure);
    if (refusal.isUnreachable) unreachableAtStart.value = refusal;
    else forget();
  }
}

function forget(): void {
  localStorage.removeItem(mark);
  me.value = null;
  endedWhy.value = "";
}

export async function logIn(
  given: { name: string; password: string } | { token: string },
): Promise<void> {
  const answer = await call("POST /v1/log-in", {}, { ...given, cookie: true });
  localStorage.setItem(mark, "yes");
  me.value = answer.me;
  endedWhy.value = "";
}

export async function logOut(): Promise<void> {
  await call("DELETE /v1/log-in", {});
  forget();
}
