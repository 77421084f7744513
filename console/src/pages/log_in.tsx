// Log in with name and password, or with a token.
import { useState } from "preact/hooks";
import { asRefusal, type Refusal } from "../api/call";
import { sentenceCase } from "../formats/words";
import { Field } from "../parts/field";
import { Refused } from "../parts/refused";
import { logIn } from "../store/session";

export function LogIn({ why }: { why: string }) {
  const [byToken, setByToken] = useState(false);
  const [name, setName] = useState("");
  const [password, setPassword] = useState("");
  const [token, setToken] = useState("");
  const [refusal, setRefusal] = useState<Refusal>();
  const [busy, setBusy] = useState(false);
  const go = async () => {
    setBusy(true);
    setRefusal(undefined);
    try {
      await logIn(byToken ? { token: token.trim() } : { name, password });
    } catch (failure) {
      setRefusal(asRefusal(failure));
    }
    setBusy(false);
  };
  return (
    <form
      class="log-in"
      onSubmit={(event) => {
        event.preventDefault();
        void go();
      }}
    >
      <h1>{why === "" ? "Vantro" : "Log in again"}</h1>
      {why !== "" && <p>{sentenceCase(why)}. The page behind this stays as it is.</p>}
      {byToken ? (
        <Field label="Token" type="password" fill="off" value={token} set={setToken} needed />
      ) : (
        <>
          <Field label="Name" fill="username" value={name} set={setName} needed />
          <Field
            label="Password"
            type="password"
            fill="current-password"
            value={password}
            set={setPassword}
            needed
          />
        </>
      )}
      <Refused refusal={refusal} />
      <p class="buttons">
        <button type="submit" class="main" disabled={busy}>
          Log in
        </button>
        <button type="button" class="plain" onClick={() => setByToken(!byToken)}>
          {byToken ? "With name and password" : "With a token"}
        </button>
      </p>
      {why === "" && (
        <p class="hint">
          No name yet? On the server itself:{" "}
          <code>sudo vantro person add NAME --role operate --password</code>
        </p>
      )}
    </form>
  );
}
