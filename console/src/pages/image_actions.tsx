// Actions on an image, and on the names of its offers.
import { useState } from "preact/hooks";
import { call, target } from "../api/call";
import type { ImageDetail, Offer } from "../api/operations";
import { fromLocalField } from "../formats/time";
import { Action } from "../parts/action";
import { Field, TextArea, Tick } from "../parts/field";
import { go } from "../store/place";
import { may } from "../store/session";
import { FactForm, factsOf, useFacts } from "./facts";

interface Props {
  readonly detail: ImageDetail;
  readonly again: () => void;
}

function Edit({ detail, again }: Props) {
  const name = detail.image.name;
  const facts = useFacts(factsOf(detail.image.facts));
  return (
    <Action
      label="Correct facts"
      run={async () => {
        await call("PATCH /v1/images/{name}", { name }, facts.changed());
        again();
      }}
    >
      <FactForm facts={facts} />
    </Action>
  );
}

function Vouch({ detail, again }: Props) {
  const name = detail.image.name;
  const [text, setText] = useState("");
  const [source, setSource] = useState("");
  return (
    <Action
      label="Compare with the maker's checksums"
      run={async () => {
        const single = text.trim();
        const isList = /\s/.test(single);
        await call(
          "POST /v1/images/{name}/vouches",
          { name },
          isList ? { list: text, source } : { expect: [single], source },
        );
        again();
      }}
    >
      <TextArea
        label="A checksum, or the maker's list"
        hint="MD5, SHA-1, SHA-256 or SHA-512"
        value={text}
        set={setText}
      />
      <Field
        label="Where it came from"
        value={source}
        set={setSource}
        example="the maker's download page"
      />
    </Action>
  );
}

function Withdraw({ detail, again }: Props) {
  const name = detail.image.name;
  const [why, setWhy] = useState("");
  return (
    <Action
      label="Withdraw"
      kind="danger"
      warns={`All ${detail.offers.length} offers of it end. Devices that ask for it are refused, with your reason. It can be returned later.`}
      run={async () => {
        await call("POST /v1/images/{name}/withdrawal", { name }, { why });
        again();
      }}
    >
      <Field label="Reason, as devices are told it" value={why} set={setWhy} needed />
    </Action>
  );
}

function Return({ detail, again }: Props) {
  const name = detail.image.name;
  const [offers, setOffers] = useState(true);
  return (
    <Action
      label="Return"
      warns="The withdrawal ends; the image can be offered again."
      run={async () => {
        await call("DELETE /v1/images/{name}/withdrawal", { name, with_offers: offers });
        again();
      }}
    >
      <Tick label="With the offers that the withdrawal ended" value={offers} set={setOffers} />
    </Action>
  );
}

function OfferIt({ detail, again }: Props) {
  const image = detail.image.name;
  const [name, setName] = useState("");
  const [to, setTo] = useState("");
  const [until, setUntil] = useState("");
  return (
    <Action
      label="Offer"
      run={async () => {
        const end = fromLocalField(until);
        await call(
          "POST /v1/offers",
          {},
          {
            image,
            ...(name ? { name } : {}),
            ...(to ? { to } : {}),
            ...(end ? { until: end } : {}),
          },
        );
        again();
      }}
    >
      <Field
        label="Name"
        hint="What devices type; empty: the image's own"
        value={name}
        set={setName}
      />
      <Field label="Only to this network" value={to} set={setTo} example="192.0.2.0/24" />
      <Field label="Until" type="datetime-local" value={until} set={setUntil} />
    </Action>
  );
}

function Remove({ detail }: { detail: ImageDetail }) {
  const name = detail.image.name;
  const [confirm, setConfirm] = useState("");
  return (
    <Action
      label="Remove for good"
      kind="danger"
      warns="Its bytes, names, checksums and documents are removed, and can't be had back. The ledger keeps what happened with it."
      run={async () => {
        await call("DELETE /v1/images/{name}", { name, confirm });
        go("/images");
      }}
    >
      <Field label={`Type its name: ${name}`} value={confirm} set={setConfirm} needed />
    </Action>
  );
}

export function ImageActions({ detail, again }: Props) {
  const { image } = detail;
  return (
    <p class="actions">
      <a
        class="button"
        download={image.name}
        href={target("GET /v1/images/{name}/content", { name: image.name })}
      >
        Save the file
      </a>
      {may("PATCH /v1/images/{name}") && <Edit detail={detail} again={again} />}
      {may("POST /v1/images/{name}/vouches") && <Vouch detail={detail} again={again} />}
      {may("POST /v1/offers") && !image.withdrawn && <OfferIt detail={detail} again={again} />}
      {may("POST /v1/images/{name}/withdrawal") && !image.withdrawn && (
        <Withdraw detail={detail} again={again} />
      )}
      {may("DELETE /v1/images/{name}/withdrawal") && image.withdrawn && (
        <Return detail={detail} again={again} />
      )}
      {may("DELETE /v1/images/{name}") && <Remove detail={detail} />}
    </p>
  );
}

export function OfferActions({ offer, again }: { offer: Offer; again: () => void }) {
  if (!may("DELETE /v1/offers/{name}")) return null;
  return (
    <Action
      label="End"
      kind="danger"
      warns={`Devices that ask for '${offer.name}' are refused from now on. Transfers that run go on.`}
      run={async () => {
        await call("DELETE /v1/offers/{name}", { name: offer.name, of: offer.to || undefined });
        again();
      }}
    />
  );
}
