// One's own password, tokens and log-ins.
import { useState } from "preact/hooks";
import { call } from "../api/call";
import type { TokenInfo, TokenMade } from "../api/operations";
import { Action } from "../parts/action";
import { Ago, At } from "../parts/at";
import { Copied } from "../parts/copied";
import { Field } from "../parts/field";
import { Refused } from "../parts/refused";
import { Section } from "../parts/section";
import { StateWord } from "../parts/state_word";
import { Table } from "../parts/table";
import { useAnswer } from "../store/answers";
import { now } from "../store/clock";
import { me } from "../store/session";

function Password() {
  const [password, setPassword] = useState("");
  return (
    <Action
      label="Change your password"
      warns="Your log-ins that were made with the old one end, this one too. Tokens stay."
      run={async () => {
        await call("POST /v1/me/password", {}, { password });
        setPassword("");
      }}
    >
      <Field
        label="New password"
        hint="At least 8 characters"
        type="password"
        fill="new-password"
        value={password}
        set={setPassword}
        needed
      />
    </Action>
  );
}

export function YourTokens() {
  const name = me.value?.name ?? "";
  const { answer, refusal, again } = useAnswer("GET /v1/people/{name}/tokens", { name }, [
    "person",
  ]);
  const [label, setLabel] = useState("");
  const [made, setMade] = useState<TokenMade>();
  const end = (one: TokenInfo) => async () => {
    await call("DELETE /v1/people/{name}/tokens/{label}", { name, label: one.label });
    again();
  };
  return (
    <Section
      title="Your password and tokens"
      note="Make a token for each machine or program, so that one can be ended alone."
    >
      <p class="actions">
        <Password />
        <Action
          label="New token"
          run={async () => {
            setMade(await call("POST /v1/people/{name}/tokens", { name }, { label }));
            again();
          }}
        >
          <Field label="For which machine or program" value={label} set={setLabel} needed />
        </Action>
      </p>
      {made && (
        <p class="remarks" role="status">
          Shown only now: <span class="digest">{made.text}</span>{" "}
          <Copied text={made.text} name="the token" />
        </p>
      )}
      <Refused refusal={refusal} />
      {answer && answer.tokens.length > 0 && (
        <Table
          caption="Your tokens and log-ins"
          columns={[
            { name: "Label", isHead: true, cell: (one) => one.label },
            {
              name: "State",
              cell: (one) => (
                <StateWord
                  word={one.state}
                  mood={one.state === "good" || one.state === "log-in" ? "good" : "plain"}
                />
              ),
            },
            { name: "Made", cell: (one) => <At iso={one.made_at} now={now.value} /> },
            {
              name: "Until",
              cell: (one) => (one.until ? <At iso={one.until} now={now.value} /> : "with you"),
            },
            { name: "Last used", cell: (one) => <Ago iso={one.last_used_at} now={now.value} /> },
            {
              name: "Actions",
              cell: (one) =>
                one.state === "good" ? (
                  <Action
                    label="Revoke"
                    kind="danger"
                    warns={`Whoever uses '${one.label}' is refused from now on.`}
                    run={end(one)}
                  />
                ) : null,
            },
          ]}
          rows={answer.tokens}
          keyOf={(one) => `${one.label} ${one.made_at}`}
        />
      )}
    </Section>
  );
}
