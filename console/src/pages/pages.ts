// The page of an address.
import type { ComponentType } from "preact";
import type { OperationName } from "../api/operations";
import { AddressPage } from "./address";
import { BackupPage } from "./backup";
import { ComparedImages } from "./compared_images";
import { DevicePage } from "./device";
import { DevicesPage } from "./devices";
import { HandInPage } from "./hand_in";
import { ImagePage } from "./image";
import { ImagesPage } from "./images";
import { JobPage } from "./job";
import { JobsPage } from "./jobs";
import { KitPage } from "./kit";
import { LedgerPage } from "./ledger";
import { NowPage } from "./now";
import { PlanPage } from "./plan";
import { RescuePage } from "./rescue";
import { RescueSession } from "./rescue_session";
import { RolloutPage } from "./rollout";
import { ServerPage } from "./server";

export interface Page {
  readonly title: string;
  readonly Show: ComponentType;
}

export interface PageName {
  readonly path: string;
  readonly name: string;
  /** The permission without which the page is useless. */
  readonly needs?: OperationName;
}

/** In the order of the work. */
export const pageNames: readonly PageName[] = [
  { path: "", name: "Now" },
  { path: "images", name: "Images" },
  { path: "hand-in", name: "Hand in", needs: "POST /v1/uploads" },
  { path: "devices", name: "Devices" },
  { path: "jobs", name: "Jobs" },
  { path: "rescue", name: "Rescue" },
  { path: "ledger", name: "Ledger" },
  { path: "server", name: "Server" },
];

const NoPage: ComponentType = () =>
  "This page does not exist. The link may be from another version of the server.";

export function pageOfPlace(parts: readonly string[]): Page {
  const [first, second, third] = parts;
  switch (first) {
    case undefined:
      return { title: "Now", Show: NowPage };
    case "images":
      return second === undefined
        ? { title: "Images", Show: ImagesPage }
        : { title: second, Show: ImagePage };
    case "compare":
      return { title: "Two images compared", Show: ComparedImages };
    case "kits":
      return { title: `Kit ${second ?? ""}`, Show: KitPage };
    case "hand-in":
      return { title: "Hand in", Show: HandInPage };
    case "devices":
      return second === undefined
        ? { title: "Devices", Show: DevicesPage }
        : { title: second, Show: DevicePage };
    case "addresses":
      return { title: `What happened with ${second ?? ""}`, Show: AddressPage };
    case "backups":
      return { title: `${third ?? ""} of ${second ?? ""}`, Show: BackupPage };
    case "jobs":
      return second === undefined
        ? { title: "Jobs", Show: JobsPage }
        : { title: `Job of ${second}`, Show: JobPage };
    case "plan":
      return { title: "Plan a change", Show: PlanPage };
    case "rollouts":
      return { title: `Rollout ${second ?? ""}`, Show: RolloutPage };
    case "rescue":
      return second === undefined
        ? { title: "Rescue", Show: RescuePage }
        : { title: `Rescue session ${second}`, Show: RescueSession };
    case "ledger":
      return { title: "Ledger", Show: LedgerPage };
    case "server":
      return { title: "Server", Show: ServerPage };
    default:
      return { title: "No such page", Show: NoPage };
  }
}
