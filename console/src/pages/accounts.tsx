// Devices' accounts: who may fetch, send and hand in.
import { useState } from "preact/hooks";
import { call } from "../api/call";
import type { Account } from "../api/operations";
import { fromLocalField } from "../formats/time";
import { Action } from "../parts/action";
import { Ago, At } from "../parts/at";
import { Field } from "../parts/field";
import { Refused } from "../parts/refused";
import { StateWord } from "../parts/state_word";
import { Table } from "../parts/table";
import { useAnswer } from "../store/answers";
import { now } from "../store/clock";
import { may } from "../store/session";

function useAccount(account?: Account) {
  const [rights, setRights] = useState(account?.may ?? "fetch,deposit");
  const [from, setFrom] = useState(account?.from ?? "");
  const [part, setPart] = useState(account?.part ?? "");
  const [until, setUntil] = useState("");
  const [remarks, setRemarks] = useState(account?.remarks ?? "");
  const [password, setPassword] = useState("");
  const end = fromLocalField(until);
  return {
    given: {
      may: rights,
      from,
      part,
      remarks,
      ...(end === "" ? {} : { until: end }),
      ...(password === "" ? {} : { password }),
    },
    fields: (
      <>
        {account?.name !== "anonymous" && (
          <Field
            label="Password"
            hint={account ? "Empty: it stays" : "At least 8 characters"}
            type="password"
            fill="new-password"
            value={password}
            set={setPassword}
            needed={!account}
          />
        )}
        <Field
          label="May"
          hint="fetch, deposit, read-back, hand-in, separated by commas; or none"
          value={rights}
          set={setRights}
        />
        <Field label="Only from these networks" value={from} set={setFrom} example="192.0.2.0/24" />
        <Field label="Only this folder of names" value={part} set={setPart} />
        <Field label="Until" type="datetime-local" value={until} set={setUntil} />
        <Field label="Remarks" value={remarks} set={setRemarks} />
      </>
    ),
  };
}

function Add({ again }: { again: () => void }) {
  const [name, setName] = useState("");
  const form = useAccount();
  return (
    <Action
      label="Add an account"
      kind="main"
      run={async () => {
        await call("POST /v1/accounts", {}, { ...form.given, name });
        again();
      }}
    >
      <Field label="Name" value={name} set={setName} needed />
      {form.fields}
    </Action>
  );
}

function Actions({ account, again }: { account: Account; again: () => void }) {
  const { name, on } = account;
  const form = useAccount(account);
  return (
    <span class="actions">
      <Action
        label="Change"
        kind="small"
        run={async () => {
          await call("PATCH /v1/accounts/{name}", { name }, form.given);
          again();
        }}
      >
        {form.fields}
      </Action>
      <Action
        label={on ? "Switch off" : "Switch on"}
        kind="small"
        {...(on ? { warns: `Devices that log in as '${name}' are refused from now on.` } : {})}
        run={async () => {
          await call("PATCH /v1/accounts/{name}", { name }, { on: !on });
          again();
        }}
      />
      {name !== "anonymous" && (
        <Action
          label="Remove"
          kind="danger"
          warns={`Devices that log in as '${name}' are refused from now on. Its keys are removed, too.`}
          run={async () => {
            await call("DELETE /v1/accounts/{name}", { name });
            again();
          }}
        />
      )}
    </span>
  );
}

export function AccountsOf() {
  const { answer, refusal, again } = useAnswer("GET /v1/accounts", {}, ["account"]);
  const administers = may("PATCH /v1/accounts/{name}");
  return (
    <>
      <p class="hint">'anonymous' is every device that does not log in.</p>
      {administers && <Add again={again} />}
      <Refused refusal={refusal} />
      {answer && (
        <Table
          caption="Accounts of devices"
          columns={[
            { name: "Account", isHead: true, cell: (one: Account) => one.name },
            { name: "May", cell: (one: Account) => one.may },
            { name: "From", cell: (one: Account) => one.from || "everywhere that is open" },
            { name: "Part", cell: (one: Account) => one.part || "all" },
            {
              name: "State",
              cell: (one: Account) => (
                <StateWord word={one.on ? "on" : "off"} mood={one.on ? "good" : "care"} />
              ),
            },
            {
              name: "Until",
              cell: (one: Account) =>
                one.until ? <At iso={one.until} now={now.value} /> : "no end",
            },
            { name: "Keys", isNumber: true, cell: (one: Account) => one.keys },
            {
              name: "Last used",
              cell: (one: Account) => <Ago iso={one.last_used_at} now={now.value} />,
            },
            { name: "Remarks", cell: (one: Account) => one.remarks },
            ...(administers
              ? [
                  {
                    name: "Actions",
                    cell: (one: Account) => <Actions account={one} again={again} />,
                  },
                ]
              : []),
          ]}
          rows={answer.accounts}
          keyOf={(one) => one.name}
        />
      )}
    </>
  );
}
