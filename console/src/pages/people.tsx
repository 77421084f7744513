// Who manages the server, with which role, and when each was last seen.
import { useState } from "preact/hooks";
import { call } from "../api/call";
import type { Person, TokenMade } from "../api/operations";
import { fromLocalField } from "../formats/time";
import { Action } from "../parts/action";
import { Ago, At } from "../parts/at";
import { Copied } from "../parts/copied";
import { Choose, Field, Tick } from "../parts/field";
import { Refused } from "../parts/refused";
import { StateWord } from "../parts/state_word";
import { Table } from "../parts/table";
import { useAnswer } from "../store/answers";
import { now } from "../store/clock";
import { may, me } from "../store/session";

const roles = [
  { value: "look", text: "look: see everything but secrets" },
  { value: "operate", text: "operate: also change images, devices, jobs" },
  { value: "administer", text: "administer: also change people and accounts" },
  { value: "mirror", text: "mirror: another server that mirrors this one" },
];

function usePerson(person?: Person) {
  const [role, setRole] = useState(person?.role ?? "operate");
  const [secrets, setSecrets] = useState(person?.rights.includes("secrets") ?? false);
  const [push, setPush] = useState(person?.rights.includes("push") ?? false);
  const [until, setUntil] = useState("");
  const [remarks, setRemarks] = useState(person?.remarks ?? "");
  const rights =
    [secrets ? "secrets" : "", push ? "push" : ""].filter((one) => one !== "").join(",") || "none";
  const end = fromLocalField(until);
  return {
    given: { role, rights, remarks, ...(end === "" ? {} : { until: end }) },
    fields: (
      <>
        <Choose label="Role" value={role} set={setRole} choices={roles} />
        <Tick label="May see secrets in configurations" value={secrets} set={setSecrets} />
        <Tick label="May send images into devices" value={push} set={setPush} />
        <Field
          label="Until"
          hint="Empty: as it is, or without an end"
          type="datetime-local"
          value={until}
          set={setUntil}
        />
        <Field label="Remarks" value={remarks} set={setRemarks} />
      </>
    ),
  };
}

function Add({ again }: { again: () => void }) {
  const [name, setName] = useState("");
  const [password, setPassword] = useState("");
  const person = usePerson();
  return (
    <Action
      label="Add a person"
      kind="main"
      run={async () => {
        await call(
          "POST /v1/people",
          {},
          { ...person.given, name, ...(password === "" ? {} : { password }) },
        );
        again();
      }}
    >
      <Field label="Name" value={name} set={setName} needed />
      <Field
        label="Password"
        hint="At least 8 characters; empty: they log in with a token"
        type="password"
        fill="new-password"
        value={password}
        set={setPassword}
      />
      {person.fields}
    </Action>
  );
}

function Change({ person, again }: { person: Person; again: () => void }) {
  const form = usePerson(person);
  return (
    <Action
      label="Change"
      kind="small"
      run={async () => {
        await call("PATCH /v1/people/{name}", { name: person.name }, form.given);
        again();
      }}
    >
      {form.fields}
    </Action>
  );
}

function Switch({ person, again }: { person: Person; again: () => void }) {
  const { name, on } = person;
  return (
    <Action
      label={on ? "Switch off" : "Switch on"}
      kind="small"
      {...(on
        ? {
            warns: `${name} is shut out at once, on all machines. Tokens work again when they are switched on.`,
          }
        : {})}
      run={async () => {
        await call("PATCH /v1/people/{name}", { name }, { on: !on });
        again();
      }}
    />
  );
}

function NewToken({ person }: { person: Person }) {
  const [label, setLabel] = useState("");
  const [made, setMade] = useState<TokenMade>();
  return (
    <>
      <Action
        label="New token"
        kind="small"
        run={async () =>
          setMade(await call("POST /v1/people/{name}/tokens", { name: person.name }, { label }))
        }
      >
        <Field label="For which machine or program" value={label} set={setLabel} needed />
      </Action>
      {made && (
        <p class="remarks" role="status">
          Shown only now: <span class="digest">{made.text}</span>{" "}
          <Copied text={made.text} name="the token" />
        </p>
      )}
    </>
  );
}

function Remove({ person, again }: { person: Person; again: () => void }) {
  return (
    <Action
      label="Remove"
      kind="danger"
      warns={`${person.name} is removed for good, with all tokens. The ledger keeps what they did.`}
      run={async () => {
        await call("DELETE /v1/people/{name}", { name: person.name });
        again();
      }}
    />
  );
}

export function PeopleOf() {
  const { answer, refusal, again } = useAnswer("GET /v1/people", {}, ["person"]);
  const administers = may("PATCH /v1/people/{name}");
  return (
    <>
      {administers && <Add again={again} />}
      <Refused refusal={refusal} />
      {answer && (
        <Table
          caption="People, by name"
          columns={[
            {
              name: "Name",
              isHead: true,
              cell: (one: Person) => (one.name === me.value?.name ? `${one.name} (you)` : one.name),
            },
            { name: "Role", cell: (one: Person) => one.role },
            { name: "Rights", cell: (one: Person) => one.rights },
            {
              name: "State",
              cell: (one: Person) => (
                <StateWord word={one.on ? "on" : "off"} mood={one.on ? "good" : "care"} />
              ),
            },
            {
              name: "Until",
              cell: (one: Person) =>
                one.until ? <At iso={one.until} now={now.value} /> : "no end",
            },
            {
              name: "Last seen",
              cell: (one: Person) => (
                <span>
                  <Ago iso={one.last_seen_at} now={now.value} />{" "}
                  {one.last_seen_from !== "" && `from ${one.last_seen_from}`}
                </span>
              ),
            },
            { name: "Remarks", cell: (one: Person) => one.remarks },
            ...(administers
              ? [
                  {
                    name: "Actions",
                    cell: (one: Person) =>
                      one.known_by === "tokens" ? (
                        <span class="actions">
                          <Change person={one} again={again} />
                          <Switch person={one} again={again} />
                          <NewToken person={one} />
                          <Remove person={one} again={again} />
                        </span>
                      ) : (
                        `known by ${one.known_by}`
                      ),
                  },
                ]
              : []),
          ]}
          rows={answer.people}
          keyOf={(one) => `${one.name} ${one.known_by}`}
        />
      )}
    </>
  );
}
