// Computes SHA-256 beside the page, which would freeze meanwhile: pieces come in their order, and
// the answer to each asks for the next.
import { sha256 } from "@noble/hashes/sha2";
import { bytesToHex } from "@noble/hashes/utils";
import type { FromDigest, ToDigest } from "./formats/digest";

let sum = sha256.create();

self.onmessage = ({ data }: MessageEvent<ToDigest>) => {
  const answer: FromDigest = { hex: "" };
  switch (data.what) {
    case "begin":
      sum = sha256.create();
      break;
    case "piece":
      sum.update(new Uint8Array(data.bytes));
      break;
    case "end":
      answer.hex = bytesToHex(sum.digest());
      break;
    default:
      data satisfies never;
  }
  self.postMessage(answer);
};
