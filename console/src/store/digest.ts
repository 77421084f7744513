// The worker that computes a file's SHA-256 while it is sent.
import type { FromDigest, ToDigest } from "../formats/digest";

// Not yet in TypeScript's library; its result is accepted where a text is.
declare global {
  interface Window {
    readonly trustedTypes?: {
      createPolicy(
        name: string,
        rules: { createScriptURL: (address: string) => string },
      ): { createScriptURL(address: string): string };
    };
  }
}

// The page's policy lets scripts be loaded from this one place only.
const policy = window.trustedTypes?.createPolicy("vantro", {
  createScriptURL: (address) => {
    if (address === "/digest_worker.js") return address;
    throw new TypeError(`no script is loaded from ${address}`);
  },
});

export class Digest {
  private readonly worker: Worker;

  constructor() {
    const address = "/digest_worker.js";
    this.worker = new Worker(policy?.createScriptURL(address) ?? address, { type: "module" });
  }

  private ask(what: ToDigest, moved: Transferable[] = []): Promise<FromDigest> {
    return new Promise((done, failed) => {
      this.worker.onmessage = ({ data }: MessageEvent<FromDigest>) => done(data);
      this.worker.onerror = () => failed(new Error("the browser can't compute the checksum"));
      this.worker.postMessage(what, moved);
    });
  }

  async begin(): Promise<void> {
    await this.ask({ what: "begin" });
  }
  /** The bytes belong to the worker from then on. */
  async add(bytes: ArrayBuffer): Promise<void> {
    await this.ask({ what: "piece", bytes }, [bytes]);
  }
  async end(): Promise<string> {
    return (await this.ask({ what: "end" })).hex;
  }
  close(): void {
    this.worker.terminate();
  }
}
