// The frame around every page: names of the pages in the order of the work, the state of the link
// to the server, who is logged in; and the page in the address.
import { useEffect, useRef, useState } from "preact/hooks";
import { ageText } from "../formats/size";
import { secondsSince, zoneName } from "../formats/time";
import { Action } from "../parts/action";
import { Link } from "../parts/link";
import { Refused } from "../parts/refused";
import { now } from "../store/clock";
import { go, parts, place } from "../store/place";
import { askWho, endedWhy, logOut, may, me, unreachableAtStart } from "../store/session";
import { link } from "../store/stream";
import { Finder } from "./finder";
import { Keys, useKeys } from "./keys";
import { LogIn } from "./log_in";
import { pageNames, pageOfPlace } from "./pages";

/** Whether the page is up to date. */
function LinkState() {
  const one = link.value;
  const since = (at: Date) => ageText(secondsSince(at.toISOString(), now.value));
  // A counting clock would be read aloud each second.
  const [said, ticking] =
    one.state === "lost"
      ? [
          "No answer from the server. What you see is old; it will be brought up to date.",
          since(one.since),
        ]
      : one.state === "behind"
        ? ["The server is slow to answer. What you see may be old.", since(one.since)]
        : ["", ""];
  return (
    <div class={`link ${one.state}`}>
      <span role="status">{said}</span>
      {ticking !== "" && <span aria-hidden="true"> For {ticking}.</span>}
    </div>
  );
}

function EndedLogIn() {
  const dialog = useRef<HTMLDialogElement>(null);
  const why = endedWhy.value;
  // biome-ignore lint/correctness/useExhaustiveDependencies: the value of a signal is not a constant
  useEffect(() => {
    if (why !== "") dialog.current?.showModal();
    else dialog.current?.close();
  }, [why]);
  return (
    <dialog ref={dialog} aria-label="Log in again" onCancel={(event) => event.preventDefault()}>
      {why !== "" && <LogIn why={why} />}
    </dialog>
  );
}

function Header({ find }: { find: () => void }) {
  const [open, setOpen] = useState(false);
  const first = parts.value[0] ?? "";
  // biome-ignore lint/correctness/useExhaustiveDependencies: another page closes the menu
  useEffect(() => setOpen(false), [place.value]);
  return (
    <header>
      <a class="skip" href="#page">
        To the page
      </a>
      <Link to="/" follow={go}>
        <strong class="brand">Vantro</strong>
      </Link>
      <button
        type="button"
        class="menu"
        aria-expanded={open}
        aria-controls="pages"
        onClick={() => setOpen(!open)}
      >
        Pages
      </button>
      <nav id="pages" aria-label="Pages" class={open ? "open" : ""}>
        <ul>
          {pageNames
            .filter((one) => one.needs === undefined || may(one.needs))
            .map((one) => (
              <li key={one.path}>
                <Link to={`/${one.path}`} follow={go} current={first === one.path}>
                  {one.name}
                </Link>
              </li>
            ))}
        </ul>
      </nav>
      <button type="button" class="find" onClick={find} aria-keyshortcuts="/">
        Find <kbd>/</kbd>
      </button>
      <details class="who">
        <summary>{me.value?.name}</summary>
        <div>
          <p>
            Role: {me.value?.role}. Rights: {me.value?.rights}.
          </p>
          <Link to="/server/you" follow={go}>
            Your password and tokens
          </Link>
          <Action label="Log out" run={logOut} />
        </div>
      </details>
    </header>
  );
}

export function Console() {
  const [finding, setFinding] = useState(false);
  const [keysShown, setKeysShown] = useState(false);
  const page = pageOfPlace(parts.value);
  const { title } = page;
  useKeys({ find: () => setFinding(true), showKeys: () => setKeysShown(true) });
  useEffect(() => {
    document.title = `${title} – Vantro`;
  }, [title]);
  const heading = useRef<HTMLHeadingElement>(null);
  const path = place.value.path;
  const before = useRef(path);
  useEffect(() => {
    // A screen reader announces the page; the first page is announced by its title.
    if (before.current !== path) heading.current?.focus();
    before.current = path;
  }, [path]);
  if (unreachableAtStart.value) {
    return (
      <main id="page">
        <h1>No answer</h1>
        <Refused refusal={unreachableAtStart.value} />
        <button type="button" onClick={() => void askWho()}>
          Try again
        </button>
      </main>
    );
  }
  if (me.value === undefined) return <main id="page" aria-busy="true" />;
  if (me.value === null) {
    return (
      <main id="page" class="alone">
        <LogIn why="" />
      </main>
    );
  }
  return (
    <>
      <Header find={() => setFinding(true)} />
      <LinkState />
      <main id="page">
        <h1 ref={heading} tabIndex={-1}>
          {title}
        </h1>
        <page.Show key={path} />
      </main>
      <footer>Times are in {zoneName(now.value)}.</footer>
      {finding && <Finder close={() => setFinding(false)} showKeys={() => setKeysShown(true)} />}
      {keysShown && <Keys close={() => setKeysShown(false)} />}
      <EndedLogIn />
    </>
  );
}
