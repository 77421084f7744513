// Made by scripts/api-docs from the server's table of operations. Do not edit.

/** who may fetch, send and hand in */
export interface Account {
  readonly name: string;
  readonly may: string;
  readonly from: string;
  readonly part: string;
  readonly until: string | null;
  readonly on: boolean;
  readonly remarks: string;
  readonly made_at: string;
  readonly last_used_at: string | null;
  readonly last_used_from: string;
  readonly keys: number;
}

/** an account's rights and limits; fields that are not sent stay */
export interface AccountFields {
  readonly name?: string;
  readonly password?: string;
  readonly may?: string;
  readonly from?: string;
  readonly part?: string;
  readonly until?: string;
  readonly on?: boolean;
  readonly remarks?: string;
}

/** a public key that an account logs in with over SSH */
export interface AccountKey {
  readonly type: string;
  readonly fingerprint: string;
  readonly remark: string;
  readonly added_at: string;
}

/** the keys of one account */
export interface AccountKeys {
  readonly keys: readonly (AccountKey)[];
}

/** the accounts */
export interface AccountList {
  readonly accounts: readonly (Account)[];
}

/** an account was removed */
export interface AccountRemoved {
  readonly removed: string;
}

/** an address */
export interface AddressGiven {
  readonly address: string;
}

/** how an image from a device is added to the catalogue */
export interface AdoptWanted {
  readonly name?: string;
  readonly hold?: boolean;
  readonly despite_findings?: boolean;
  readonly maker?: string;
  readonly platform?: string;
  readonly hardware?: string;
  readonly role?: string;
  readonly version?: string;
  readonly line?: string;
  readonly stage?: string;
  readonly space?: string;
  readonly remarks?: string;
  readonly source?: string;
}

/** one revision of a file that a device sent */
export interface Backup {
  readonly holder: string;
  readonly device: boolean;
  readonly address: string;
  readonly name: string;
  readonly revision: number;
  readonly complete: boolean;
  readonly size: number;
  readonly announced: number | null;
  readonly digests: Digests | null;
  readonly arrived_at: string;
  readonly protocol: string;
  readonly account: string;
  readonly why: string;
  readonly ending: string;
  readonly kept: boolean;
  readonly kind: string;
  readonly text: boolean;
  readonly changed: boolean;
  readonly last_seen_at: string;
  readonly times_seen: number;
  readonly pinned: boolean;
  readonly pinned_why: string;
  readonly recognised: string;
  readonly image: string;
  readonly secrets: number;
  readonly doubtful: number;
  readonly inside: string;
  readonly finding: string;
  readonly caution: string;
}

/** all revisions of one name */
export interface BackupFile {
  readonly holder: string;
  readonly device: boolean;
  readonly site: string;
  readonly name: string;
  readonly revisions: number;
  readonly revision: number;
  readonly kind: string;
  readonly arrived_at: string | null;
  readonly seen_at: string | null;
  readonly size: number;
  readonly usual_size: number | null;
  readonly shrunk: boolean;
  readonly doubt: string;
  readonly changes: number;
  readonly broken_at: string | null;
}

/** one revision on offer to one device */
export interface BackupOffer {
  readonly name: string;
  readonly to: string;
  readonly holder: string;
  readonly file: string;
  readonly revision: number;
  readonly size: number;
  readonly since: string;
  readonly until: string;
  readonly caution: string;
}

/** an offer was ended */
export interface BackupOfferEnded {
  readonly name: string;
  readonly ended: number;
}

/** revisions that are on offer */
export interface BackupOfferList {
  readonly offers: readonly (BackupOffer)[];
}

/** how one revision is offered */
export interface BackupOfferWanted {
  readonly as: string;
  readonly to?: string;
  readonly until?: string;
}

/** each file, and the devices with expected backups */
export interface BackupOverview {
  readonly days: number;
  readonly files: readonly (BackupFile)[];
  readonly expected: readonly (Expected)[];
}

/** revisions by holder, name and number */
export interface BackupPage {
  readonly backups: readonly (Backup)[];
  readonly next: string;
}

/** where the canary can be fetched */
export interface CanaryWay {
  readonly protocol: string;
  readonly server: string;
  readonly port: number;
  readonly text: string;
  readonly needs_account: boolean;
}

/** the ways to the canary */
export interface CanaryWays {
  readonly ways: readonly (CanaryWay)[];
}

/** an object changed that others may have on their screens */
export interface Change {
  readonly sequence: number;
  readonly at: string;
  readonly kind: string;
  readonly object: string;
  readonly by: string;
}

/** changes of the last week in their order */
export interface ChangePage {
  readonly changes: readonly (Change)[];
  readonly more: boolean;
}

/** the changes in a period */
export interface ChangeReport {
  readonly from: string;
  readonly to: string;
  readonly files: readonly (FileReport)[];
  readonly overdue: readonly (Expected)[];
}

/** what a device got or lost */
export interface Claimed {
  readonly device: string;
  readonly files: readonly (MovedFile)[];
  readonly ledger_rows: number;
}

/** what must be installed beside a step */
export interface Companion {
  readonly role: string;
  readonly version: string;
  readonly image: string;
  readonly why: string;
}

/** two revisions, or one and a text */
export interface Compared {
  readonly before: ComparedSide;
  readonly after: ComparedSide;
  readonly comparison: TextComparison;
}

/** one side of a comparison */
export interface ComparedSide {
  readonly title: string;
  readonly holder: string;
  readonly name: string;
  readonly revision: number;
  readonly arrived_at: string | null;
}

/** an address that contacted the server, and the last outcome */
export interface Contact {
  readonly address: string;
  readonly last_heard_at: string;
  readonly heard_on: string;
  readonly requests: number;
  readonly unanswered: number;
  readonly strays: number;
  readonly state: string;
  readonly sentence: string;
  readonly device: string;
  readonly job: string;
  readonly caution: boolean;
}

/** the addresses that were heard */
export interface ContactList {
  readonly contacts: readonly (Contact)[];
}

/** whether bytes are in the catalogue */
export interface ContentKnown {
  readonly in_catalogue: boolean;
  readonly image: Image | null;
}

/** stored bytes that have changed */
export interface Damage {
  readonly sha256: string;
  readonly names: string;
  readonly found: string;
}

/** a device; unknown values are empty */
export interface Device {
  readonly name: string;
  readonly addresses: string;
  readonly link_address: string;
  readonly maker: string;
  readonly platform: string;
  readonly hardware: string;
  readonly site: string;
  readonly remarks: string;
  readonly backup_every: string;
  readonly quota: string;
  readonly made_at: string;
  readonly changed_at: string;
  readonly unclaimed: readonly (string)[];
  readonly running_version: string;
  readonly state: readonly (StateValue)[];
  readonly job: string;
}

/** the facts about a device; fields that are not sent stay; an empty text clears a field */
export interface DeviceFields {
  readonly name?: string;
  readonly addresses?: string;
  readonly link_address?: string;
  readonly maker?: string;
  readonly platform?: string;
  readonly hardware?: string;
  readonly site?: string;
  readonly remarks?: string;
  readonly backup_every?: string;
  readonly quota?: string;
  readonly running_version?: string;
  readonly boot_version?: string;
  readonly model?: string;
  readonly serial?: string;
  readonly slots?: string;
  readonly running_slot?: string;
  readonly next_slot?: string;
  readonly once_slot?: string;
  readonly free?: string;
  readonly own_address?: string;
  readonly mask?: string;
  readonly gateway?: string;
  readonly recovery_port?: string;
  readonly member?: string;
}

/** the inventory */
export interface DeviceList {
  readonly devices: readonly (Device)[];
  readonly in_all: number;
}

/** whether one device of a rollout is ready */
export interface DeviceReadiness {
  readonly device: string;
  readonly batch: number;
  readonly verdict: string;
  readonly sentence: string;
}

/** many devices at once */
export interface DeviceTable {
  readonly table: string;
  readonly really?: boolean;
}

/** lines around a difference */
export interface DiffHunk {
  readonly sections: readonly (string)[];
  readonly lines: readonly (DiffLine)[];
}

/** one line of a comparison */
export interface DiffLine {
  readonly sign: string;
  readonly before: number;
  readonly after: number;
  readonly text: string;
}

/** checksums of the same bytes, in lower-case hexadecimal; of a large file all but SHA-256 are empty until they are computed, moments after it arrived */
export interface Digests {
  readonly md5: string;
  readonly sha1: string;
  readonly sha256: string;
  readonly sha512: string;
}

/** release notes beside an image */
export interface Document {
  readonly name: string;
  readonly size: number;
  readonly sha256: string;
  readonly added_at: string;
}

/** whether new transfers are refused, and what still runs */
export interface Drain {
  readonly draining: boolean;
  readonly stopping: boolean;
  readonly since: string;
  readonly until: string;
  readonly reason: string;
  readonly refused: number;
  readonly idle: boolean;
  readonly waits_for: readonly (DrainWaits)[];
}

/** a transfer that a drain waits for */
export interface DrainWaits {
  readonly who: string;
  readonly name: string;
  readonly direction: string;
  readonly bytes: number;
  readonly left: string;
}

/** how long the server refuses new transfers */
export interface DrainWanted {
  readonly minutes?: number;
  readonly reason?: string;
}

/** the encryption of stored configurations */
export interface Encryption {
  readonly key: string;
  readonly contents: number;
  readonly done: number;
  readonly locked: number;
  readonly running: boolean;
}

/** offers that were ended */
export interface EndedOffers {
  readonly ended: readonly (Offer)[];
}

/** a device that backups are expected of */
export interface Expected {
  readonly device: string;
  readonly site: string;
  readonly every: string;
  readonly seen_at: string | null;
  readonly since: string;
  readonly overdue: boolean;
}

/** a member of an archive, and how to add it */
export interface ExtractWanted {
  readonly member: string;
  readonly as?: string;
  readonly hold?: boolean;
  readonly document_of?: string;
}

/** an extracted member */
export interface Extracted {
  readonly added: ImageAdded | null;
  readonly document: Document | null;
}

/** one fact of two values */
export interface FactChange {
  readonly fact: string;
  readonly before: string;
  readonly after: string;
}

/** facts that were changed */
export interface FactChanges {
  readonly changes: readonly (FactChange)[];
}

/** facts of an image; fields that are not sent stay; an empty text clears a field */
export interface FactFields {
  readonly maker?: string;
  readonly platform?: string;
  readonly hardware?: string;
  readonly role?: string;
  readonly version?: string;
  readonly line?: string;
  readonly stage?: string;
  readonly space?: string;
  readonly remarks?: string;
  readonly source?: string;
}

/** an image */
export interface Facts {
  readonly maker: string;
  readonly platform: readonly (string)[];
  readonly hardware: readonly (string)[];
  readonly role: string;
  readonly version: string;
  readonly line: string;
  readonly stage: string;
  readonly space: number | null;
  readonly remarks: string;
  readonly source: string;
  readonly guessed: readonly (string)[];
}

/** what happened to one file in a period */
export interface FileReport {
  readonly what: "changed" | "unchanged" | "first" | "broke-off";
  readonly holder: string;
  readonly name: string;
  readonly revisions: number;
  readonly before: number | null;
  readonly after: number | null;
  readonly arrived_at: string | null;
  readonly size: number;
  readonly why: string;
  readonly comparison: TextComparison | null;
}

/** the end of an upload in pieces */
export interface FilingWanted {
  readonly sha256?: string;
}

/** a match for the text */
export interface Found {
  readonly kind: "image" | "device" | "address";
  readonly name: string;
  readonly detail: string;
}

/** the matches for the text */
export interface FoundList {
  readonly found: readonly (Found)[];
}

/** how busy a protocol's server is */
export interface Front {
  readonly name: string;
  readonly open: number;
  readonly most: number | null;
  readonly turned_away: number;
  readonly paused: boolean;
}

/** whether it answers */
export interface Health {
  readonly ok: boolean;
}

/** a host key of the SSH server */
export interface HostKey {
  readonly type: string;
  readonly fingerprint: string;
}

/** an image in the catalogue */
export interface Image {
  readonly name: string;
  readonly size: number;
  readonly digests: Digests;
  readonly taken_in_at: string;
  readonly taken_in_by: string;
  readonly on_offer: boolean;
  readonly facts: Facts;
  readonly vouching: "unvouched" | "vouched-weakly" | "vouched" | "contradicted";
  readonly withdrawn: Withdrawal | null;
  readonly whole: boolean;
  readonly read_at: string;
  readonly verdict: string;
  readonly kind: string;
}

/** an image was added */
export interface ImageAdded {
  readonly result: "new" | "new-name" | "already-there";
  readonly compared: boolean;
  readonly image: Image;
  readonly kind: string;
  readonly findings: readonly (string)[];
  readonly members_in_all: number;
  readonly suggestions: readonly (Suggestion)[];
  readonly offer: string;
  readonly note: string;
  readonly not_done: readonly (string)[];
}

/** everything about one image */
export interface ImageDetail {
  readonly image: Image;
  readonly names: readonly (string)[];
  readonly findings: readonly (string)[];
  readonly members: readonly (Member)[];
  readonly members_in_all: number;
  readonly vouches: readonly (Vouch)[];
  readonly offers: readonly (Offer)[];
  readonly documents: readonly (Document)[];
  readonly look_alikes: readonly (LookAlike)[];
  readonly kits: readonly (string)[];
}

/** images by platform, role and version */
export interface ImageList {
  readonly images: readonly (ImageRow)[];
  readonly in_all: number;
  readonly and_more: boolean;
}

/** the image after its withdrawal was undone */
export interface ImageReturned {
  readonly image: Image;
  readonly back: readonly (Offer)[];
  readonly not_back: readonly (Offer)[];
}

/** a row of the list; an image for two platforms has two */
export interface ImageRow {
  readonly platform: string;
  readonly newest: boolean;
  readonly confusable: boolean;
  readonly image: Image;
}

/** two images */
export interface ImagesCompared {
  readonly a: ImageDetail;
  readonly b: ImageDetail;
  readonly same_bytes: boolean;
  readonly versions: string;
  readonly facts: readonly (FactChange)[];
  readonly only_a: readonly (Member)[];
  readonly only_b: readonly (Member)[];
  readonly differing: readonly (Member)[];
}

/** the result of an import */
export interface Imported {
  readonly done: boolean;
  readonly added: readonly (string)[];
  readonly changed: readonly (string)[];
  readonly unchanged: readonly (string)[];
}

/** a network interface of the server */
export interface Interface {
  readonly name: string;
  readonly up: boolean;
  readonly carrier: boolean;
  readonly link_address: string;
  readonly addresses: readonly (string)[];
}

/** the Ethernet interfaces of the server */
export interface InterfaceList {
  readonly interfaces: readonly (Interface)[];
}

/** a planned change of one device */
export interface Job {
  readonly device: string;
  readonly platform: string;
  readonly purpose: string;
  readonly aim: string;
  readonly from_version: string;
  readonly images: readonly (JobImage)[];
  readonly slot: string;
  readonly window_from: string;
  readonly window_until: string;
  readonly remark: string;
  readonly planned_by: string;
  readonly planned_at: string;
  readonly owner: string;
  readonly rollout: string;
  readonly batch: number;
  readonly any_platform: boolean;
  readonly state: string;
  readonly stage: string;
  readonly at_hand: number;
  readonly waits_for: string;
  readonly since: string;
  readonly caution: string;
  readonly path_proven: boolean;
  readonly lines: readonly (JobLine)[];
}

/** an image of a job */
export interface JobImage {
  readonly number: number;
  readonly image: string;
  readonly role: string;
  readonly version: string;
  readonly why: string;
  readonly offered_as: string;
  readonly stage: string;
  readonly since: string;
  readonly fetches: number;
  readonly passed: boolean;
}

/** an event of a job */
export interface JobLine {
  readonly at: string;
  readonly by: string;
  readonly sentence: string;
  readonly bad: boolean;
}

/** jobs */
export interface JobList {
  readonly jobs: readonly (Job)[];
  readonly more: boolean;
}

/** an engineer's report */
export interface JobMarkWanted {
  readonly mark: "written" | "next" | "running" | "confirmed" | "failed";
  readonly remark?: string;
}

/** the plan */
export interface JobWanted {
  readonly device: string;
  readonly image: string;
  readonly purpose?: string;
  readonly slot?: string;
  readonly window_from?: string;
  readonly window_until?: string;
  readonly remark?: string;
  readonly offer_as?: string;
  readonly any_platform?: boolean;
}

/** a public key */
export interface KeyGiven {
  readonly key: string;
  readonly remark?: string;
}

/** images that belong together */
export interface Kit {
  readonly name: string;
  readonly remarks: string;
  readonly made_at: string;
  readonly parts: readonly (KitPart)[];
}

/** the kits */
export interface KitList {
  readonly kits: readonly (Kit)[];
}

/** one image of a kit */
export interface KitPart {
  readonly image: string;
  readonly role: string;
  readonly version: string;
  readonly size: number;
  readonly remark: string;
}

/** the contents of a kit */
export interface KitParts {
  readonly remarks?: string;
  readonly images?: readonly (string)[];
  readonly part_remarks?: readonly (string)[];
}

/** a new kit */
export interface KitWanted {
  readonly name: string;
  readonly remarks?: string;
  readonly images?: readonly (string)[];
  readonly part_remarks?: readonly (string)[];
}

/** a row that is missing or does not fit */
export interface LedgerBreak {
  readonly row: number;
  readonly sentence: string;
}

/** one row of the ledger */
export interface LedgerEntry {
  readonly id: number;
  readonly at: string;
  readonly event: string;
  readonly actor: string;
  readonly device: string;
  readonly protocol: string;
  readonly heard_on: string;
  readonly account: string;
  readonly name: string;
  readonly sha256: string | null;
  readonly bytes: number;
  readonly total: number | null;
  readonly duration_ms: number;
  readonly resent: number;
  readonly outcome: string;
  readonly sentence: string;
  readonly from: string;
  readonly request: string;
  readonly mirror: string;
  readonly hash: string;
}

/** the ledger has new rows, of transfers or refusals */
export interface LedgerGrown {
  readonly newest: number;
}

/** rows of the ledger */
export interface LedgerPage {
  readonly entries: readonly (LedgerEntry)[];
}

/** whether the ledger is unchanged */
export interface LedgerVerified {
  readonly sound: boolean;
  readonly rows: number;
  readonly unchained: number;
  readonly breaks: readonly (LedgerBreak)[];
  readonly newest: string;
}

/** the release lines of the catalogue */
export interface LineList {
  readonly lines: readonly (ReleaseLine)[];
}

/** where the server listens */
export interface Listener {
  readonly protocol: string;
  readonly address: string;
  readonly protects: boolean;
  readonly fingerprint: string;
}

/** how busy the server was */
export interface Load {
  readonly samples: readonly (LoadSample)[];
}

/** how busy the server was for some seconds */
export interface LoadSample {
  readonly at: string;
  readonly running: number;
  readonly out: number;
  readonly in: number;
  readonly refused: number;
  readonly disk_free: number;
  readonly memory: number;
}

/** where one image can be fetched over one protocol */
export interface Location {
  readonly protocol: string;
  readonly server: string;
  readonly text: string;
  readonly open: boolean;
  readonly note: string;
  readonly remark: string;
  readonly protects: boolean;
  readonly port: number;
  readonly account: string;
  readonly mode: string;
}

/** where one image can be fetched */
export interface Locations {
  readonly name: string;
  readonly image: string;
  readonly size: number;
  readonly digests: Digests;
  readonly locations: readonly (Location)[];
}

/** a log-in */
export interface LogIn {
  readonly name?: string;
  readonly password?: string;
  readonly token?: string;
  readonly cookie?: boolean;
}

/** a log-in */
export interface LoggedIn {
  readonly me: Me;
  readonly token: string;
}

/** an image whose version is easy to confuse with this one's */
export interface LookAlike {
  readonly name: string;
  readonly version: string;
}

/** who the caller is to the server */
export interface Me {
  readonly name: string;
  readonly role: string;
  readonly rights: string;
  readonly known_by: string;
  readonly from: string;
  readonly until: string | null;
}

/** a file in an archive */
export interface Member {
  readonly path: string;
  readonly size: number;
}

/** a server at a site that mirrors this one */
export interface Mirror {
  readonly name: string;
  readonly state: "current" | "behind" | "silent";
  readonly from: string;
  readonly wants: string;
  readonly version: string;
  readonly first_at: string;
  readonly seen_at: string;
  readonly current_at: string | null;
  readonly held: number;
  readonly lacking: number;
  readonly missing: number;
  readonly rate: number;
  readonly rows_waiting: number;
  readonly served: number;
  readonly served_bytes: number;
  readonly trouble: string;
  readonly sync: boolean;
}

/** which record */
export interface MirrorKey {
  readonly table: string;
  readonly row: string;
}

/** an image that is not here yet */
export interface MirrorLack {
  readonly name: string;
  readonly size: number;
  readonly have: number;
  readonly why: string;
  readonly seconds_left: number | null;
  readonly trouble: string;
}

/** the mirrors of this server */
export interface MirrorList {
  readonly mirrors: readonly (Mirror)[];
}

/** the records that a mirror is to have */
export interface MirrorNews {
  readonly tag: string;
  readonly base: string;
  readonly sequence: number;
  readonly at: string;
  readonly sync: boolean;
  readonly gone: readonly (MirrorKey)[];
  readonly fresh: readonly (MirrorRecord)[];
}

/** what is here of a backup */
export interface MirrorPieceTaken {
  readonly have: number;
}

/** a record that a mirror is to have */
export interface MirrorRecord {
  readonly table: string;
  readonly row: string;
  readonly columns: Readonly<Record<string, string>>;
  readonly needs: readonly (string)[];
}

/** how a mirror is */
export interface MirrorReport {
  readonly tag?: string;
  readonly wants?: MirrorWants;
  readonly version?: string;
  readonly held?: number;
  readonly lacking?: number;
  readonly missing?: number;
  readonly rate?: number;
  readonly rows_waiting?: number;
  readonly trouble?: string;
}

/** a row of a mirror's ledger */
export interface MirrorRow {
  readonly id: number;
  readonly at: string;
  readonly event: string;
  readonly actor?: string;
  readonly from?: string;
  readonly device?: string;
  readonly protocol?: string;
  readonly heard_on?: string;
  readonly account?: string;
  readonly name?: string;
  readonly sha256?: string;
  readonly bytes?: number;
  readonly total?: number;
  readonly duration_ms?: number;
  readonly resent?: number;
  readonly outcome: string;
  readonly sentence?: string;
  readonly request?: string;
}

/** rows of a mirror's ledger */
export interface MirrorRows {
  readonly rows?: readonly (MirrorRow)[];
}

/** what headquarters has of a mirror's ledger */
export interface MirrorRowsTaken {
  readonly upto: number;
  readonly wants: string;
  readonly have: number;
}

/** this server as a mirror */
export interface MirrorState {
  readonly of: string;
  readonly wants: string;
  readonly as_of: string | null;
  readonly unreachable: string;
  readonly in_hours: boolean;
  readonly hours: string;
  readonly held: number;
  readonly missing: number;
  readonly rate: number;
  readonly rows_waiting: number;
  readonly trouble: string;
  readonly lacking: readonly (MirrorLack)[];
}

/** which images a mirror wants; one field that names an image is enough, and none at all wants everything on offer */
export interface MirrorWants {
  readonly platforms?: readonly (string)[];
  readonly lines?: readonly (string)[];
  readonly offers?: readonly (string)[];
  readonly kits?: readonly (string)[];
  readonly jobs?: boolean;
  readonly sites?: readonly (string)[];
}

/** a file whose backups have a new owner */
export interface MovedFile {
  readonly name: string;
  readonly revisions: number;
  readonly merged: boolean;
}

/** one of the servers that share the database */
export interface Node {
  readonly name: string;
  readonly this_one: boolean;
  readonly host: string;
  readonly version: string;
  readonly state: "alive" | "silent" | "stopped";
  readonly started_at: string;
  readonly seen_at: string;
  readonly works: readonly (string)[];
}

/** the servers that share the database */
export interface NodeList {
  readonly nodes: readonly (Node)[];
}

/** a line of a listing that no pattern matches */
export interface NotUnderstood {
  readonly line: number;
  readonly text: string;
}

/** an empty object */
export interface Nothing {
}

/** an event that was reported and is not over */
export interface NoticeCondition {
  readonly event: string;
  readonly subject: string;
  readonly since: string;
  readonly sentence: string;
}

/** a receiver of notices */
export interface NoticeReceiver {
  readonly name: string;
  readonly way: "webhook" | "syslog" | "mail";
  readonly to: string;
  readonly events: readonly (string)[];
  readonly waiting: number;
  readonly sent: number;
  readonly last_sent_at: string;
  readonly failure: string;
}

/** the receivers of notices, and the open events */
export interface NoticeState {
  readonly receivers: readonly (NoticeReceiver)[];
  readonly standing: readonly (NoticeCondition)[];
}

/** the result of the test */
export interface NoticeTestResult {
  readonly results: readonly (NoticeTested)[];
}

/** the receiver of a test notice */
export interface NoticeTestWanted {
  readonly receiver?: string;
}

/** whether a receiver accepted the test */
export interface NoticeTested {
  readonly receiver: string;
  readonly ok: boolean;
  readonly answer: string;
}

/** a name that devices can fetch */
export interface Offer {
  readonly name: string;
  readonly image: string;
  readonly size: number;
  readonly sha256: string;
  readonly since: string;
  readonly to: string;
  readonly over: readonly (string)[];
  readonly until: string | null;
  readonly ended_at: string | null;
  readonly why: string;
  readonly held_back: string;
  readonly any_platform: boolean;
}

/** the change of an offer; fields that are not sent stay */
export interface OfferChanges {
  readonly of?: string;
  readonly image?: string;
  readonly to?: string;
  readonly over?: string;
  readonly until?: string;
  readonly any_platform?: string;
}

/** offers */
export interface OfferList {
  readonly offers: readonly (Offer)[];
  readonly in_all: number;
}

/** an offer that was made or changed */
export interface OfferMade {
  readonly offer: Offer;
  readonly overlapping: readonly (Offer)[];
}

/** a new offer */
export interface OfferWanted {
  readonly image: string;
  readonly name?: string;
  readonly to?: string;
  readonly over?: string;
  readonly until?: string;
  readonly any_platform?: boolean;
}

/** older SSH algorithms that are allowed */
export interface OlderAlgorithms {
  readonly from: string;
  readonly algorithms: string;
}

/** a session that used older SSH algorithms */
export interface OlderSession {
  readonly at: string;
  readonly address: string;
  readonly account: string;
  readonly algorithms: string;
}

/** a line of the rules, in words */
export interface Opening {
  readonly from: string;
  readonly may: string;
  readonly over: string;
  readonly needs_account: boolean;
}

/** devices whose backups are late */
export interface Overdue {
  readonly expected_of: number;
  readonly overdue: readonly (Expected)[];
}

/** a new password */
export interface PasswordGiven {
  readonly password: string;
}

/** a person who manages the server */
export interface Person {
  readonly name: string;
  readonly role: string;
  readonly rights: string;
  readonly known_by: string;
  readonly password: boolean;
  readonly tokens: number;
  readonly until: string | null;
  readonly on: boolean;
  readonly remarks: string;
  readonly made_at: string | null;
  readonly last_seen_at: string | null;
  readonly last_seen_from: string;
}

/** a person's rights and limits; fields that are not sent stay */
export interface PersonFields {
  readonly name?: string;
  readonly role?: string;
  readonly rights?: string;
  readonly password?: string;
  readonly until?: string;
  readonly on?: boolean;
  readonly remarks?: string;
}

/** the people */
export interface PersonList {
  readonly people: readonly (Person)[];
}

/** a person was removed */
export interface PersonRemoved {
  readonly removed: string;
}

/** whether a revision is kept for ever */
export interface PinWanted {
  readonly pinned?: boolean;
  readonly why?: string;
}

/** a platform that images are for */
export interface Platform {
  readonly platform: string;
  readonly images: number;
}

/** the platforms of the catalogue */
export interface PlatformList {
  readonly platforms: readonly (Platform)[];
}

/** a refusal (RFC 9457) */
export interface Problem {
  readonly type: string;
  readonly title: string;
  readonly status: number;
  readonly detail: string;
  readonly kind: string;
  readonly nearest: string;
  readonly expected: string;
  readonly actual: string;
}

/** a new push */
export interface Push {
  readonly number: number;
  readonly image: string;
  readonly to: string;
  readonly name: string;
  readonly total: number;
  readonly first_time: boolean;
}

/** the progress of a push */
export interface PushState {
  readonly number: number;
  readonly state: "waiting" | "sending" | "complete" | "failed";
  readonly bytes: number;
  readonly total: number;
  readonly rate: number;
  readonly resent: number;
  readonly duration_ms: number;
  readonly why: string;
  readonly host_key: string;
}

/** an image to send to a device that waits for it */
export interface PushWanted {
  readonly image: string;
  readonly to: string;
  readonly name?: string;
  readonly over?: "tftp" | "http" | "scp" | "sftp";
  readonly wait_s?: number;
  readonly block_size?: number;
  readonly window_size?: number;
  readonly account?: string;
  readonly password?: string;
  readonly post?: boolean;
  readonly host_key?: string;
}

/** whether a device is ready */
export interface Readiness {
  readonly device: string;
  readonly aim: string;
  readonly verdict: string;
  readonly sentence: string;
  readonly for_the_job: boolean;
  readonly checks: readonly (ReadinessCheck)[];
}

/** what to check */
export interface ReadinessAsked {
  readonly device: string;
  readonly image?: string;
  readonly over?: string;
  readonly account?: string;
}

/** one check before the point of no return */
export interface ReadinessCheck {
  readonly name: string;
  readonly verdict: string;
  readonly fact: string;
  readonly advice: string;
}

/** whether to set recognised facts */
export interface RecogniseWanted {
  readonly fill?: boolean;
}

/** a fact that an image lacks */
export interface Recognised {
  readonly image: string;
  readonly fact: string;
  readonly text: string;
  readonly origin: string;
  readonly guessed: boolean;
}

/** facts that images lack and recognisers know */
export interface RecognisedList {
  readonly filled: boolean;
  readonly recognised: readonly (Recognised)[];
}

/** the images of one platform, role and release line */
export interface ReleaseLine {
  readonly platform: string;
  readonly role: string;
  readonly line: string;
  readonly images: number;
  readonly newest: string;
  readonly version: string;
}

/** how to read the settings again */
export interface ReloadWanted {
  readonly dry_run?: boolean;
}

/** the result of reading the settings again */
export interface Reloaded {
  readonly dry_run: boolean;
  readonly now: readonly (SettingChange)[];
  readonly at_restart: readonly (SettingChange)[];
  readonly certificates: readonly (string)[];
  readonly failures: readonly (string)[];
}

/** a listing of a device */
export interface ReportGiven {
  readonly text: string;
  readonly really?: boolean;
}

/** the facts in a listing */
export interface ReportRead {
  readonly device: string;
  readonly done: boolean;
  readonly learnt: readonly (StateValue)[];
  readonly doubts: readonly (string)[];
  readonly not_understood: readonly (NotUnderstood)[];
}

/** a rescue session */
export interface Rescue {
  readonly number: number;
  readonly device: string;
  readonly node: string;
  readonly interface: string;
  readonly profile: string;
  readonly platform: string;
  readonly way: string;
  readonly over: string;
  readonly server: string;
  readonly opened_at: string;
  readonly opened_by: string;
  readonly until: string;
  readonly ended_at: string;
  readonly ended_by: string;
  readonly ended_why: string;
  readonly stage: string;
  readonly large: string;
  readonly small: string;
  readonly percent: number | null;
  readonly since: string;
  readonly bells: number;
  readonly names: readonly (RescueName)[];
  readonly lines: readonly (RescueLine)[];
  readonly summary: readonly (string)[];
  readonly undo: readonly (string)[];
}

/** a name that a device without a system requires */
export interface RescueFile {
  readonly name: string;
  readonly gives: "image" | "backup" | "text";
  readonly image: string;
  readonly role: string;
  readonly when_loaded: string;
  readonly takes: string;
}

/** one event */
export interface RescueLine {
  readonly at: string;
  readonly what: string;
  readonly sentence: string;
}

/** sessions */
export interface RescueList {
  readonly rescues: readonly (Rescue)[];
}

/** a name on the interface of a session */
export interface RescueName {
  readonly name: string;
  readonly stands_for: string;
  readonly size: number;
}

/** the result of opening */
export interface RescueOpened {
  readonly opened: boolean;
  readonly checks: readonly (ReadinessCheck)[];
  readonly rescue: Rescue | null;
}

/** how to revive one kind of device */
export interface RescueProfile {
  readonly name: string;
  readonly platform: string;
  readonly way: "asks" | "calls" | "waits";
  readonly server: string;
  readonly device: string;
  readonly over: string;
  readonly files: readonly (RescueFile)[];
  readonly begin: string;
  readonly shows: string;
  readonly afterwards: string;
  readonly check: string;
}

/** the profiles of the settings */
export interface RescueProfileList {
  readonly profiles: readonly (RescueProfile)[];
}

/** a new session */
export interface RescueWanted {
  readonly device?: string;
  readonly interface: string;
  readonly profile?: string;
  readonly for_s?: number;
  readonly link_addresses?: readonly (string)[];
  readonly serials?: readonly (string)[];
  readonly any_device?: boolean;
  readonly own_address?: boolean;
  readonly despite_other?: boolean;
  readonly image?: string;
  readonly text?: string;
  readonly really?: boolean;
}

/** a change of many devices */
export interface Rollout {
  readonly name: string;
  readonly aim: string;
  readonly state: string;
  readonly sentence: string;
  readonly batch: number;
  readonly stop_after: number;
  readonly open_batch: number;
  readonly batches: number;
  readonly open: number;
  readonly confirmed: number;
  readonly failed: number;
  readonly withdrawn: number;
  readonly remark: string;
  readonly planned_by: string;
  readonly planned_at: string;
  readonly rows: readonly (RolloutRow)[];
  readonly left_out: readonly (string)[];
  readonly done: boolean;
}

/** rollouts */
export interface RolloutList {
  readonly rollouts: readonly (Rollout)[];
}

/** whether the devices of a rollout are ready */
export interface RolloutReadiness {
  readonly name: string;
  readonly ready: number;
  readonly stopped: number;
  readonly devices: readonly (DeviceReadiness)[];
}

/** a remark on a rollout */
export interface RolloutRemark {
  readonly remark?: string;
}

/** one device of a rollout */
export interface RolloutRow {
  readonly device: string;
  readonly site: string;
  readonly batch: number;
  readonly state: string;
  readonly stage: string;
  readonly waits_for: string;
  readonly since: string;
  readonly owner: string;
  readonly ended_why: string;
}

/** a change of many devices */
export interface RolloutWanted {
  readonly name: string;
  readonly devices: string;
  readonly image: string;
  readonly purpose?: string;
  readonly slot?: string;
  readonly window_from?: string;
  readonly window_until?: string;
  readonly remark?: string;
  readonly any_platform?: boolean;
  readonly batch?: number;
  readonly stop_after?: number;
  readonly really?: boolean;
}

/** one operation */
export interface RouteRow {
  readonly method: string;
  readonly path: string;
  readonly permission: string;
  readonly summary: string;
}

/** which version may follow which */
export interface RouteRule {
  readonly id: number;
  readonly platform: string;
  readonly rule: string;
  readonly role: string;
  readonly from: string;
  readonly to: string;
  readonly needs: string;
  readonly source: string;
  readonly sentence: string;
}

/** one version of the route */
export interface RouteStep {
  readonly role: string;
  readonly version: string;
  readonly image: string;
  readonly before: readonly (Companion)[];
  readonly behind: readonly (Companion)[];
  readonly demanded_by: readonly (string)[];
}

/** everything that can be called */
export interface RouteTable {
  readonly routes: readonly (RouteRow)[];
}

/** one rule, as it is typed */
export interface RuleGiven {
  readonly platform?: string;
  readonly rule?: string;
  readonly role?: string;
  readonly from?: string;
  readonly to?: string;
  readonly needs?: string;
  readonly source?: string;
}

/** rules for routes */
export interface RuleList {
  readonly rules: readonly (RouteRule)[];
}

/** many rules at once, as a table or one by one */
export interface RuleTable {
  readonly table?: string;
  readonly rules?: readonly (RuleGiven)[];
  readonly really?: boolean;
}

/** the result of an import of rules */
export interface RulesImported {
  readonly done: boolean;
  readonly platforms: readonly (string)[];
  readonly added: readonly (string)[];
  readonly removed: readonly (string)[];
  readonly unchanged: number;
}

/** the rules that were removed */
export interface RulesRemoved {
  readonly platform: string;
  readonly rules: number;
}

/** a setting in force */
export interface Setting {
  readonly name: string;
  readonly value: string;
  readonly usual: string;
  readonly unit: string;
  readonly meaning: string;
  readonly reloadable: boolean;
}

/** a setting that differs */
export interface SettingChange {
  readonly name: string;
  readonly before: string;
  readonly after: string;
}

/** the settings in force */
export interface SettingList {
  readonly file: string;
  readonly settings: readonly (Setting)[];
}

/** the values to type */
export interface Sheet {
  readonly values: readonly (SheetValue)[];
  readonly text: string;
  readonly html: string;
}

/** a value to type */
export interface SheetValue {
  readonly name: string;
  readonly value: string;
  readonly note: string;
}

/** a place with devices */
export interface Site {
  readonly name: string;
  readonly devices: number;
  readonly backup_every: string;
}

/** the sites */
export interface SiteList {
  readonly sites: readonly (Site)[];
}

/** how often a backup is expected of a site's devices */
export interface SiteSchedule {
  readonly name?: string;
  readonly backup_every?: string;
}

/** the last copy of the state, and its progress */
export interface Snapshot {
  readonly state: "none" | "database" | "contents" | "complete" | "failed";
  readonly path: string;
  readonly began_at: string;
  readonly by: string;
  readonly files: number;
  readonly files_done: number;
  readonly bytes: number;
  readonly bytes_done: number;
  readonly linked: number;
  readonly kept: number;
  readonly why: string;
}

/** where a copy of the state is written */
export interface SnapshotWanted {
  readonly path: string;
}

/** the state of SSH */
export interface Ssh {
  readonly host_keys: readonly (HostKey)[];
  readonly older: readonly (OlderAlgorithms)[];
  readonly older_sessions: number;
  readonly last_older: OlderSession | null;
}

/** one fact about a device's software */
export interface StateValue {
  readonly member: string;
  readonly field: string;
  readonly item: string;
  readonly value: string;
  readonly at: string;
  readonly source: string;
}

/** the state of the server */
export interface Status {
  readonly version: string;
  readonly state_folder: string;
  readonly started_at: string;
  readonly uptime_ms: number;
  readonly listeners: readonly (Listener)[];
  readonly fronts: readonly (Front)[];
  readonly images: number;
  readonly offers: number;
  readonly backups: number;
  readonly running_transfers: number;
  readonly disk_free: number;
  readonly accounts: number;
  readonly openings: readonly (Opening)[];
  readonly trouble: readonly (string)[];
  readonly drain: string;
  readonly ssh: Ssh;
  readonly encryption: Encryption;
  readonly you: Me;
  readonly node: string;
  readonly nodes: number;
  readonly nodes_alive: number;
  readonly mirror_of: string;
}

/** the story of one address */
export interface Story {
  readonly address: string;
  readonly device: string;
  readonly job: string;
  readonly lines: readonly (StoryLine)[];
}

/** an event of an address */
export interface StoryLine {
  readonly at: string;
  readonly state: string;
  readonly name: string;
  readonly heard_on: string;
  readonly sentence: string;
  readonly caution: boolean;
}

/** a fact in name or content */
export interface Suggestion {
  readonly fact: string;
  readonly text: string;
  readonly origin: string;
  readonly guessed: boolean;
}

/** the facts in a name */
export interface SuggestionList {
  readonly suggestions: readonly (Suggestion)[];
}

/** two texts */
export interface TextComparison {
  readonly same_bytes: boolean;
  readonly same: boolean;
  readonly removed: number;
  readonly added: number;
  readonly left_out: number;
  readonly masked: number;
  readonly doubtful: number;
  readonly without_secrets: boolean;
  readonly hunks: readonly (DiffHunk)[];
}

/** a text to compare with; JSON has one encoding, configurations have any */
export interface TextGiven {
  readonly title?: string;
  readonly text?: string;
  readonly base64?: string;
}

/** whether to remove what retention lets go */
export interface ThinWanted {
  readonly really?: boolean;
  readonly from?: number;
}

/** the revisions of one file */
export interface ThinnedFile {
  readonly holder: string;
  readonly name: string;
  readonly revisions: readonly (ThinnedRevision)[];
}

/** what thinning removed, or would remove */
export interface ThinnedOut {
  readonly done: boolean;
  readonly revisions: number;
  readonly bytes: number;
  readonly kept: number;
  readonly files: readonly (ThinnedFile)[];
  readonly next: number;
}

/** one revision, and the result of retention */
export interface ThinnedRevision {
  readonly revision: number;
  readonly arrived_at: string;
  readonly size: number;
  readonly goes: boolean;
  readonly why: string;
}

/** a token or a log-in of a person, without its text */
export interface TokenInfo {
  readonly person: string;
  readonly label: string;
  readonly state: string;
  readonly made_at: string;
  readonly until: string | null;
  readonly last_used_at: string | null;
  readonly last_used_from: string;
}

/** the tokens of a person */
export interface TokenList {
  readonly tokens: readonly (TokenInfo)[];
}

/** a token with its text */
export interface TokenMade {
  readonly token: TokenInfo;
  readonly text: string;
}

/** how long a token is valid from now on */
export interface TokenRenewal {
  readonly until?: string;
  readonly replace?: boolean;
}

/** a new token */
export interface TokenWanted {
  readonly label: string;
  readonly until?: string;
}

/** one transfer: a fetch, a deposit, a push or an image that is added */
export interface Transfer {
  readonly id: number;
  readonly node: string;
  readonly direction: "fetch" | "deposit" | "image-add" | "push";
  readonly state: "running" | "complete" | "failed" | "abandoned";
  readonly protocol: string;
  readonly peer: string;
  readonly device: string;
  readonly account: string;
  readonly name: string;
  readonly bytes: number;
  readonly total: number | null;
  readonly rate: number;
  readonly seconds_left: number | null;
  readonly resent: number;
  readonly unanswered: number;
  readonly stalled_ms: number | null;
  readonly began_at: string;
  readonly duration_ms: number;
  readonly why: string;
  readonly caution: string;
  readonly job: string;
}

/** transfers */
export interface TransferList {
  readonly transfers: readonly (Transfer)[];
}

/** a stored file without a record */
export interface Unrecorded {
  readonly name: string;
  readonly place: "vault" | "partial";
  readonly size: number;
  readonly encrypted: boolean;
  readonly since: string;
}

/** the outcome for one file */
export interface UnrecordedDecision {
  readonly name: string;
  readonly kept_as: string | null;
  readonly removed: boolean;
}

/** stored files without a record */
export interface UnrecordedList {
  readonly files: readonly (Unrecorded)[];
}

/** an image in pieces, and its progress */
export interface Upload {
  readonly number: number;
  readonly name: string;
  readonly bytes: number;
  readonly size: number;
  readonly state: "receiving" | "filing" | "filed" | "refused";
  readonly why: string;
  readonly looked_bytes: number;
}

/** the description of an image in pieces */
export interface UploadDescription {
  readonly expect?: readonly (string)[];
  readonly list?: string;
  readonly source?: string;
  readonly hold?: boolean;
  readonly despite_findings?: boolean;
  readonly vouch?: boolean;
  readonly suggest?: boolean;
  readonly facts?: Readonly<Record<string, string>>;
}

/** images in pieces */
export interface UploadList {
  readonly uploads: readonly (Upload)[];
}

/** an image in pieces */
export interface UploadWanted {
  readonly name: string;
  readonly size: number;
  readonly description?: UploadDescription;
}

/** the progress of verifying */
export interface Verification {
  readonly running: boolean;
  readonly began_at: string;
  readonly ended_at: string;
  readonly contents: number;
  readonly contents_read: number;
  readonly locked: number;
  readonly unreadable: number;
  readonly bytes: number;
  readonly bytes_read: number;
  readonly damaged: number;
  readonly damages: readonly (Damage)[];
  readonly trouble: string;
}

/** the files to read again */
export interface VerifyWanted {
  readonly image?: string;
  readonly unread_days?: number;
  readonly bytes_per_second?: number;
}

/** the shortest permitted route */
export interface VersionRoute {
  readonly result: string;
  readonly sentence: string;
  readonly steps: readonly (RouteStep)[];
  readonly any_rules: boolean;
}

/** one of the maker's checksums, and whether it agrees */
export interface Vouch {
  readonly at: string;
  readonly who: string;
  readonly source: string;
  readonly algorithm: string;
  readonly hex: string;
  readonly agrees: boolean;
  readonly signer: string;
  readonly retracted_at: string;
}

/** the maker's checksums */
export interface VouchGiven {
  readonly expect?: readonly (string)[];
  readonly list?: string;
  readonly signature?: string;
  readonly key?: string;
  readonly source?: string;
}

/** the comparison of an image with its maker's checksums */
export interface Vouched {
  readonly image: Image;
  readonly vouches: readonly (Vouch)[];
}

/** an image that must not be used any more */
export interface Withdrawal {
  readonly at: string;
  readonly why: string;
}

/** why an image is withdrawn */
export interface WithdrawalGiven {
  readonly why: string;
}

/** What each operation asks for in path and query, takes and gives. */
export interface Operations {
  "GET /v1/alive": {
    asked: Nothing;
    body: undefined;
    answer: Health;
  };
  "GET /v1/status": {
    asked: Nothing;
    body: undefined;
    answer: Status;
  };
  "GET /v1/settings": {
    asked: Nothing;
    body: undefined;
    answer: SettingList;
  };
  "GET /metrics": {
    asked: Nothing;
    body: undefined;
    answer: string;
  };
  "POST /v1/reload": {
    asked: Nothing;
    body: ReloadWanted;
    answer: Reloaded;
  };
  "GET /v1/drain": {
    asked: Nothing;
    body: undefined;
    answer: Drain;
  };
  "PUT /v1/drain": {
    asked: Nothing;
    body: DrainWanted;
    answer: Drain;
  };
  "DELETE /v1/drain": {
    asked: Nothing;
    body: undefined;
    answer: Drain;
  };
  "GET /v1/snapshot": {
    asked: Nothing;
    body: undefined;
    answer: Snapshot;
  };
  "POST /v1/snapshot": {
    asked: Nothing;
    body: SnapshotWanted;
    answer: Snapshot;
  };
  "DELETE /v1/snapshot": {
    asked: Nothing;
    body: undefined;
    answer: Snapshot;
  };
  "GET /v1/notices": {
    asked: Nothing;
    body: undefined;
    answer: NoticeState;
  };
  "POST /v1/notices/test": {
    asked: Nothing;
    body: NoticeTestWanted;
    answer: NoticeTestResult;
  };
  "GET /v1/load": {
    asked: {
      readonly minutes?: number;
      readonly samples?: number;
    };
    body: undefined;
    answer: Load;
  };
  "GET /v1/interfaces": {
    asked: Nothing;
    body: undefined;
    answer: InterfaceList;
  };
  "GET /v1/find": {
    asked: {
      readonly text: string;
      readonly limit?: number;
    };
    body: undefined;
    answer: FoundList;
  };
  "GET /v1/transfers": {
    asked: Nothing;
    body: undefined;
    answer: TransferList;
  };
  "GET /v1/events": {
    asked: Nothing;
    body: undefined;
    answer: undefined;
  };
  "GET /v1/changes": {
    asked: {
      readonly after?: number;
    };
    body: undefined;
    answer: ChangePage;
  };
  "GET /v1/contacts": {
    asked: {
      readonly limit?: number;
    };
    body: undefined;
    answer: ContactList;
  };
  "GET /v1/contacts/{address}": {
    asked: {
      readonly address: string;
    };
    body: undefined;
    answer: Story;
  };
  "GET /v1/ledger": {
    asked: {
      readonly limit?: number;
      readonly before?: number;
      readonly whose?: string;
      readonly by?: string;
      readonly from?: string;
      readonly until?: string;
      readonly event?: string;
      readonly name?: string;
      readonly outcome?: "complete" | "failed" | "abandoned" | "refused" | "done";
      readonly sha256?: string;
      readonly request?: string;
      readonly mirror?: string;
    };
    body: undefined;
    answer: LedgerPage;
  };
  "GET /v1/ledger-export": {
    asked: {
      readonly whose?: string;
      readonly by?: string;
      readonly from?: string;
      readonly until?: string;
      readonly event?: string;
      readonly name?: string;
      readonly outcome?: "complete" | "failed" | "abandoned" | "refused" | "done";
      readonly sha256?: string;
      readonly request?: string;
      readonly mirror?: string;
      readonly form?: "csv" | "json-lines";
    };
    body: undefined;
    answer: string;
  };
  "GET /v1/ledger-verification": {
    asked: {
      readonly noted?: string;
    };
    body: undefined;
    answer: LedgerVerified;
  };
  "GET /v1/accounts": {
    asked: Nothing;
    body: undefined;
    answer: AccountList;
  };
  "POST /v1/accounts": {
    asked: Nothing;
    body: AccountFields;
    answer: Account;
  };
  "PATCH /v1/accounts/{name}": {
    asked: {
      readonly name: string;
    };
    body: AccountFields;
    answer: Account;
  };
  "DELETE /v1/accounts/{name}": {
    asked: {
      readonly name: string;
    };
    body: undefined;
    answer: AccountRemoved;
  };
  "GET /v1/accounts/{name}/keys": {
    asked: {
      readonly name: string;
    };
    body: undefined;
    answer: AccountKeys;
  };
  "POST /v1/accounts/{name}/keys": {
    asked: {
      readonly name: string;
    };
    body: KeyGiven;
    answer: AccountKey;
  };
  "DELETE /v1/accounts/{name}/keys": {
    asked: {
      readonly name: string;
      readonly key: string;
    };
    body: undefined;
    answer: AccountKey;
  };
  "GET /v1/people": {
    asked: Nothing;
    body: undefined;
    answer: PersonList;
  };
  "POST /v1/people": {
    asked: Nothing;
    body: PersonFields;
    answer: Person;
  };
  "PATCH /v1/people/{name}": {
    asked: {
      readonly name: string;
    };
    body: PersonFields;
    answer: Person;
  };
  "DELETE /v1/people/{name}": {
    asked: {
      readonly name: string;
    };
    body: undefined;
    answer: PersonRemoved;
  };
  "GET /v1/people/{name}/tokens": {
    asked: {
      readonly name: string;
    };
    body: undefined;
    answer: TokenList;
  };
  "POST /v1/people/{name}/tokens": {
    asked: {
      readonly name: string;
    };
    body: TokenWanted;
    answer: TokenMade;
  };
  "PATCH /v1/people/{name}/tokens/{label}": {
    asked: {
      readonly name: string;
      readonly label: string;
    };
    body: TokenRenewal;
    answer: TokenMade;
  };
  "DELETE /v1/people/{name}/tokens/{label}": {
    asked: {
      readonly name: string;
      readonly label: string;
    };
    body: undefined;
    answer: TokenInfo;
  };
  "POST /v1/log-in": {
    asked: Nothing;
    body: LogIn;
    answer: LoggedIn;
  };
  "DELETE /v1/log-in": {
    asked: Nothing;
    body: undefined;
    answer: Nothing;
  };
  "GET /v1/me": {
    asked: Nothing;
    body: undefined;
    answer: Me;
  };
  "POST /v1/me/password": {
    asked: Nothing;
    body: PasswordGiven;
    answer: Me;
  };
  "GET /v1/locations": {
    asked: {
      readonly image: string;
      readonly for?: string;
      readonly account?: string;
    };
    body: undefined;
    answer: Locations;
  };
  "GET /v1/backups": {
    asked: {
      readonly holder?: string;
      readonly name?: string;
      readonly after?: string;
    };
    body: undefined;
    answer: BackupPage;
  };
  "GET /v1/backup-overview": {
    asked: {
      readonly days?: number;
    };
    body: undefined;
    answer: BackupOverview;
  };
  "GET /v1/backup-overdue": {
    asked: Nothing;
    body: undefined;
    answer: Overdue;
  };
  "GET /v1/backup-report": {
    asked: {
      readonly from?: string;
      readonly to?: string;
      readonly context?: number;
      readonly secrets?: "masked" | "shown";
    };
    body: undefined;
    answer: ChangeReport;
  };
  "GET /v1/backup-comparison": {
    asked: {
      readonly holder: string;
      readonly name?: string;
      readonly before?: number;
      readonly after?: number;
      readonly other?: string;
      readonly other_name?: string;
      readonly context?: number;
      readonly secrets?: "masked" | "shown";
    };
    body: undefined;
    answer: Compared;
  };
  "POST /v1/backup-comparison": {
    asked: {
      readonly holder: string;
      readonly name?: string;
      readonly revision?: number;
      readonly context?: number;
      readonly secrets?: "masked" | "shown";
    };
    body: TextGiven;
    answer: Compared;
  };
  "POST /v1/backup-thinning": {
    asked: Nothing;
    body: ThinWanted;
    answer: ThinnedOut;
  };
  "GET /v1/backup-offers": {
    asked: Nothing;
    body: undefined;
    answer: BackupOfferList;
  };
  "DELETE /v1/backup-offers/{name}": {
    asked: {
      readonly name: string;
    };
    body: undefined;
    answer: BackupOfferEnded;
  };
  "GET /v1/backups/{holder}/{name}": {
    asked: {
      readonly holder: string;
      readonly name: string;
      readonly revision?: number;
    };
    body: undefined;
    answer: Backup;
  };
  "GET /v1/backups/{holder}/{name}/content": {
    asked: {
      readonly holder: string;
      readonly name: string;
      readonly revision?: number;
      readonly secrets?: "masked" | "shown";
    };
    body: undefined;
    answer: Blob;
  };
  "GET /v1/backups/{holder}/{name}/text": {
    asked: {
      readonly holder: string;
      readonly name: string;
      readonly revision?: number;
      readonly secrets?: "masked" | "shown";
    };
    body: undefined;
    answer: string;
  };
  "POST /v1/backups/{holder}/{name}/pin": {
    asked: {
      readonly holder: string;
      readonly name: string;
      readonly revision?: number;
    };
    body: PinWanted;
    answer: Backup;
  };
  "POST /v1/backups/{holder}/{name}/offer": {
    asked: {
      readonly holder: string;
      readonly name: string;
      readonly revision?: number;
    };
    body: BackupOfferWanted;
    answer: BackupOffer;
  };
  "POST /v1/backups/{holder}/{name}/image": {
    asked: {
      readonly holder: string;
      readonly name: string;
      readonly revision?: number;
    };
    body: AdoptWanted;
    answer: ImageAdded;
  };
  "GET /v1/devices": {
    asked: {
      readonly text?: string;
      readonly site?: string;
      readonly platform?: string;
      readonly limit?: number;
      readonly skip?: number;
    };
    body: undefined;
    answer: DeviceList;
  };
  "POST /v1/devices": {
    asked: Nothing;
    body: DeviceFields;
    answer: Device;
  };
  "POST /v1/device-import": {
    asked: Nothing;
    body: DeviceTable;
    answer: Imported;
  };
  "GET /v1/devices/{name}": {
    asked: {
      readonly name: string;
    };
    body: undefined;
    answer: Device;
  };
  "PATCH /v1/devices/{name}": {
    asked: {
      readonly name: string;
    };
    body: DeviceFields;
    answer: Device;
  };
  "DELETE /v1/devices/{name}": {
    asked: {
      readonly name: string;
    };
    body: undefined;
    answer: Claimed;
  };
  "POST /v1/devices/{name}/claim": {
    asked: {
      readonly name: string;
    };
    body: AddressGiven;
    answer: Claimed;
  };
  "POST /v1/devices/{name}/report": {
    asked: {
      readonly name: string;
    };
    body: ReportGiven;
    answer: ReportRead;
  };
  "GET /v1/version-route": {
    asked: {
      readonly platform: string;
      readonly from: string;
      readonly to: string;
    };
    body: undefined;
    answer: VersionRoute;
  };
  "GET /v1/devices/{name}/route": {
    asked: {
      readonly name: string;
      readonly image: string;
    };
    body: undefined;
    answer: VersionRoute;
  };
  "GET /v1/route-rules": {
    asked: {
      readonly platform?: string;
    };
    body: undefined;
    answer: RuleList;
  };
  "POST /v1/route-rules": {
    asked: Nothing;
    body: RuleTable;
    answer: RulesImported;
  };
  "DELETE /v1/route-rules/{name}": {
    asked: {
      readonly name: string;
    };
    body: undefined;
    answer: RulesRemoved;
  };
  "POST /v1/readiness": {
    asked: Nothing;
    body: ReadinessAsked;
    answer: Readiness;
  };
  "GET /v1/jobs": {
    asked: {
      readonly state?: string;
      readonly rollout?: string;
      readonly image?: string;
    };
    body: undefined;
    answer: JobList;
  };
  "POST /v1/jobs": {
    asked: Nothing;
    body: JobWanted;
    answer: Job;
  };
  "GET /v1/jobs/{device}": {
    asked: {
      readonly device: string;
    };
    body: undefined;
    answer: Job;
  };
  "DELETE /v1/jobs/{device}": {
    asked: {
      readonly device: string;
      readonly reason?: string;
    };
    body: undefined;
    answer: Job;
  };
  "POST /v1/jobs/{device}/marks": {
    asked: {
      readonly device: string;
    };
    body: JobMarkWanted;
    answer: Job;
  };
  "POST /v1/jobs/{device}/owner": {
    asked: {
      readonly device: string;
    };
    body: undefined;
    answer: Job;
  };
  "POST /v1/jobs/{device}/acknowledgement": {
    asked: {
      readonly device: string;
    };
    body: undefined;
    answer: Job;
  };
  "GET /v1/jobs/{device}/sheet": {
    asked: {
      readonly device: string;
      readonly form?: string;
      readonly over?: string;
      readonly account?: string;
    };
    body: undefined;
    answer: Sheet;
  };
  "GET /v1/rollouts": {
    asked: Nothing;
    body: undefined;
    answer: RolloutList;
  };
  "POST /v1/rollouts": {
    asked: Nothing;
    body: RolloutWanted;
    answer: Rollout;
  };
  "GET /v1/rollouts/{name}": {
    asked: {
      readonly name: string;
    };
    body: undefined;
    answer: Rollout;
  };
  "GET /v1/rollouts/{name}/table": {
    asked: {
      readonly name: string;
    };
    body: undefined;
    answer: string;
  };
  "GET /v1/rollouts/{name}/readiness": {
    asked: {
      readonly name: string;
    };
    body: undefined;
    answer: RolloutReadiness;
  };
  "POST /v1/rollouts/{name}/continuation": {
    asked: {
      readonly name: string;
    };
    body: RolloutRemark;
    answer: Rollout;
  };
  "DELETE /v1/rollouts/{name}": {
    asked: {
      readonly name: string;
      readonly reason?: string;
    };
    body: undefined;
    answer: Rollout;
  };
  "GET /v1/rescue-profiles": {
    asked: Nothing;
    body: undefined;
    answer: RescueProfileList;
  };
  "GET /v1/rescues": {
    asked: Nothing;
    body: undefined;
    answer: RescueList;
  };
  "POST /v1/rescues": {
    asked: Nothing;
    body: RescueWanted;
    answer: RescueOpened;
  };
  "GET /v1/rescues/{number}": {
    asked: {
      readonly number: number;
    };
    body: undefined;
    answer: Rescue;
  };
  "DELETE /v1/rescues/{number}": {
    asked: {
      readonly number: number;
    };
    body: undefined;
    answer: Rescue;
  };
  "POST /v1/pushes": {
    asked: Nothing;
    body: PushWanted;
    answer: Push;
  };
  "GET /v1/pushes/{number}": {
    asked: {
      readonly number: number;
    };
    body: undefined;
    answer: PushState;
  };
  "DELETE /v1/pushes/{number}": {
    asked: {
      readonly number: number;
    };
    body: undefined;
    answer: PushState;
  };
  "GET /v1/canary": {
    asked: Nothing;
    body: undefined;
    answer: CanaryWays;
  };
  "GET /v1/sites": {
    asked: Nothing;
    body: undefined;
    answer: SiteList;
  };
  "PATCH /v1/sites/{name}": {
    asked: {
      readonly name: string;
    };
    body: SiteSchedule;
    answer: SiteSchedule;
  };
  "GET /v1/platforms": {
    asked: Nothing;
    body: undefined;
    answer: PlatformList;
  };
  "GET /v1/lines": {
    asked: {
      readonly platform?: string;
    };
    body: undefined;
    answer: LineList;
  };
  "POST /v1/uploads": {
    asked: Nothing;
    body: UploadWanted;
    answer: Upload;
  };
  "GET /v1/uploads": {
    asked: Nothing;
    body: undefined;
    answer: UploadList;
  };
  "GET /v1/uploads/{number}": {
    asked: {
      readonly number: number;
    };
    body: undefined;
    answer: Upload;
  };
  "PATCH /v1/uploads/{number}": {
    asked: {
      readonly number: number;
    };
    body: UploadDescription;
    answer: Upload;
  };
  "PUT /v1/uploads/{number}": {
    asked: {
      readonly number: number;
      readonly offset?: number;
    };
    body: Blob;
    answer: Upload;
  };
  "POST /v1/uploads/{number}/filing": {
    asked: {
      readonly number: number;
    };
    body: FilingWanted;
    answer: ImageAdded;
  };
  "DELETE /v1/uploads/{number}": {
    asked: {
      readonly number: number;
    };
    body: undefined;
    answer: Nothing;
  };
  "GET /v1/images": {
    asked: {
      readonly maker?: string;
      readonly platform?: string;
      readonly hardware?: string;
      readonly role?: string;
      readonly version?: string;
      readonly line?: string;
      readonly stage?: string;
      readonly space?: string;
      readonly remarks?: string;
      readonly source?: string;
      readonly text?: string;
      readonly vouching?: "unvouched" | "vouched-weakly" | "vouched" | "contradicted";
      readonly offered?: boolean;
      readonly newest?: boolean;
      readonly limit?: number;
      readonly skip?: number;
    };
    body: undefined;
    answer: ImageList;
  };
  "GET /v1/images/{name}": {
    asked: {
      readonly name: string;
    };
    body: undefined;
    answer: ImageDetail;
  };
  "PUT /v1/images/{name}": {
    asked: {
      readonly name: string;
      readonly expect?: readonly (string)[];
      readonly source?: string;
      readonly vouch?: boolean;
      readonly hold?: boolean;
      readonly despite_findings?: boolean;
      readonly suggest?: boolean;
      readonly fact?: Readonly<Record<string, string>>;
    };
    body: Blob;
    answer: ImageAdded;
  };
  "PATCH /v1/images/{name}": {
    asked: {
      readonly name: string;
    };
    body: FactFields;
    answer: FactChanges;
  };
  "GET /v1/images/{name}/content": {
    asked: {
      readonly name: string;
    };
    body: undefined;
    answer: Blob;
  };
  "POST /v1/images/{name}/withdrawal": {
    asked: {
      readonly name: string;
    };
    body: WithdrawalGiven;
    answer: EndedOffers;
  };
  "DELETE /v1/images/{name}/withdrawal": {
    asked: {
      readonly name: string;
      readonly with_offers?: boolean;
    };
    body: undefined;
    answer: ImageReturned;
  };
  "DELETE /v1/images/{name}": {
    asked: {
      readonly name: string;
      readonly confirm?: string;
    };
    body: undefined;
    answer: Nothing;
  };
  "POST /v1/images/{name}/extraction": {
    asked: {
      readonly name: string;
    };
    body: ExtractWanted;
    answer: Extracted;
  };
  "POST /v1/images/{name}/vouches": {
    asked: {
      readonly name: string;
    };
    body: VouchGiven;
    answer: Vouched;
  };
  "DELETE /v1/images/{name}/vouches": {
    asked: {
      readonly name: string;
    };
    body: undefined;
    answer: Vouched;
  };
  "PUT /v1/images/{name}/documents/{document}": {
    asked: {
      readonly name: string;
      readonly document: string;
    };
    body: Blob;
    answer: Document;
  };
  "GET /v1/images/{name}/documents/{document}": {
    asked: {
      readonly name: string;
      readonly document: string;
    };
    body: undefined;
    answer: Blob;
  };
  "DELETE /v1/images/{name}/documents/{document}": {
    asked: {
      readonly name: string;
      readonly document: string;
    };
    body: undefined;
    answer: Nothing;
  };
  "POST /v1/recognition": {
    asked: Nothing;
    body: RecogniseWanted;
    answer: RecognisedList;
  };
  "GET /v1/suggestions": {
    asked: {
      readonly name: string;
    };
    body: undefined;
    answer: SuggestionList;
  };
  "GET /v1/contents/{checksum}": {
    asked: {
      readonly checksum: string;
    };
    body: undefined;
    answer: ContentKnown;
  };
  "GET /v1/comparison": {
    asked: {
      readonly a: string;
      readonly b: string;
    };
    body: undefined;
    answer: ImagesCompared;
  };
  "GET /v1/offers": {
    asked: {
      readonly at?: string;
      readonly text?: string;
      readonly limit?: number;
      readonly skip?: number;
    };
    body: undefined;
    answer: OfferList;
  };
  "POST /v1/offers": {
    asked: Nothing;
    body: OfferWanted;
    answer: OfferMade;
  };
  "GET /v1/offers/{name}/history": {
    asked: {
      readonly name: string;
    };
    body: undefined;
    answer: OfferList;
  };
  "PATCH /v1/offers/{name}": {
    asked: {
      readonly name: string;
    };
    body: OfferChanges;
    answer: OfferMade;
  };
  "DELETE /v1/offers/{name}": {
    asked: {
      readonly name: string;
      readonly of?: string;
    };
    body: undefined;
    answer: Offer;
  };
  "GET /v1/checksums": {
    asked: {
      readonly algorithm?: "md5" | "sha1" | "sha256" | "sha512";
    };
    body: undefined;
    answer: string;
  };
  "GET /v1/kits": {
    asked: Nothing;
    body: undefined;
    answer: KitList;
  };
  "GET /v1/kits/{name}": {
    asked: {
      readonly name: string;
    };
    body: undefined;
    answer: Kit;
  };
  "POST /v1/kits": {
    asked: Nothing;
    body: KitWanted;
    answer: Kit;
  };
  "PUT /v1/kits/{name}": {
    asked: {
      readonly name: string;
    };
    body: KitParts;
    answer: Kit;
  };
  "DELETE /v1/kits/{name}": {
    asked: {
      readonly name: string;
    };
    body: undefined;
    answer: Nothing;
  };
  "GET /v1/verification": {
    asked: Nothing;
    body: undefined;
    answer: Verification;
  };
  "POST /v1/verification": {
    asked: Nothing;
    body: VerifyWanted;
    answer: Verification;
  };
  "GET /v1/unrecorded": {
    asked: Nothing;
    body: undefined;
    answer: UnrecordedList;
  };
  "POST /v1/unrecorded/{name}": {
    asked: {
      readonly name: string;
    };
    body: undefined;
    answer: UnrecordedDecision;
  };
  "DELETE /v1/unrecorded/{name}": {
    asked: {
      readonly name: string;
    };
    body: undefined;
    answer: UnrecordedDecision;
  };
  "GET /v1/nodes": {
    asked: Nothing;
    body: undefined;
    answer: NodeList;
  };
  "DELETE /v1/nodes/{name}": {
    asked: {
      readonly name: string;
    };
    body: undefined;
    answer: Nothing;
  };
  "POST /v1/mirror/news": {
    asked: Nothing;
    body: MirrorReport;
    answer: MirrorNews;
  };
  "GET /v1/mirror/contents/{sha256}": {
    asked: {
      readonly sha256?: string;
      readonly from?: number;
      readonly bytes?: number;
    };
    body: undefined;
    answer: Blob;
  };
  "GET /v1/mirror/chunks/{sha256}": {
    asked: {
      readonly sha256?: string;
    };
    body: undefined;
    answer: Blob;
  };
  "POST /v1/mirror/ledger": {
    asked: Nothing;
    body: MirrorRows;
    answer: MirrorRowsTaken;
  };
  "PUT /v1/mirror/backups/{sha256}": {
    asked: {
      readonly sha256?: string;
      readonly size?: number;
      readonly from?: number;
    };
    body: Blob;
    answer: MirrorPieceTaken;
  };
  "GET /v1/mirrors": {
    asked: Nothing;
    body: undefined;
    answer: MirrorList;
  };
  "GET /v1/mirrors/{name}": {
    asked: {
      readonly name: string;
    };
    body: undefined;
    answer: Mirror;
  };
  "POST /v1/mirrors/{name}/sync": {
    asked: {
      readonly name: string;
    };
    body: undefined;
    answer: Mirror;
  };
  "GET /v1/mirror": {
    asked: Nothing;
    body: undefined;
    answer: MirrorState;
  };
  "POST /v1/mirror/sync": {
    asked: Nothing;
    body: undefined;
    answer: MirrorState;
  };
  "GET /v1/routes": {
    asked: Nothing;
    body: undefined;
    answer: RouteTable;
  };
  "GET /v1/openapi.json": {
    asked: Nothing;
    body: undefined;
    answer: unknown;
  };
}

export type OperationName = keyof Operations;

/** The role that each operation needs. */
export const roles = {
  "GET /v1/alive": "anyone",
  "GET /v1/status": "look",
  "GET /v1/settings": "look",
  "GET /metrics": "look",
  "POST /v1/reload": "administer",
  "GET /v1/drain": "look",
  "PUT /v1/drain": "administer",
  "DELETE /v1/drain": "administer",
  "GET /v1/snapshot": "look",
  "POST /v1/snapshot": "administer",
  "DELETE /v1/snapshot": "administer",
  "GET /v1/notices": "look",
  "POST /v1/notices/test": "operate",
  "GET /v1/load": "look",
  "GET /v1/interfaces": "look",
  "GET /v1/find": "look",
  "GET /v1/transfers": "look",
  "GET /v1/events": "look",
  "GET /v1/changes": "look",
  "GET /v1/contacts": "look",
  "GET /v1/contacts/{address}": "look",
  "GET /v1/ledger": "look",
  "GET /v1/ledger-export": "look",
  "GET /v1/ledger-verification": "look",
  "GET /v1/accounts": "look",
  "POST /v1/accounts": "administer",
  "PATCH /v1/accounts/{name}": "administer",
  "DELETE /v1/accounts/{name}": "administer",
  "GET /v1/accounts/{name}/keys": "look",
  "POST /v1/accounts/{name}/keys": "administer",
  "DELETE /v1/accounts/{name}/keys": "administer",
  "GET /v1/people": "look",
  "POST /v1/people": "administer",
  "PATCH /v1/people/{name}": "administer",
  "DELETE /v1/people/{name}": "administer",
  "GET /v1/people/{name}/tokens": "look",
  "POST /v1/people/{name}/tokens": "look",
  "PATCH /v1/people/{name}/tokens/{label}": "look",
  "DELETE /v1/people/{name}/tokens/{label}": "look",
  "POST /v1/log-in": "anyone",
  "DELETE /v1/log-in": "look",
  "GET /v1/me": "look",
  "POST /v1/me/password": "look",
  "GET /v1/locations": "look",
  "GET /v1/backups": "look",
  "GET /v1/backup-overview": "look",
  "GET /v1/backup-overdue": "look",
  "GET /v1/backup-report": "look",
  "GET /v1/backup-comparison": "look",
  "POST /v1/backup-comparison": "look",
  "POST /v1/backup-thinning": "operate",
  "GET /v1/backup-offers": "look",
  "DELETE /v1/backup-offers/{name}": "operate",
  "GET /v1/backups/{holder}/{name}": "look",
  "GET /v1/backups/{holder}/{name}/content": "look",
  "GET /v1/backups/{holder}/{name}/text": "look",
  "POST /v1/backups/{holder}/{name}/pin": "operate",
  "POST /v1/backups/{holder}/{name}/offer": "operate",
  "POST /v1/backups/{holder}/{name}/image": "operate",
  "GET /v1/devices": "look",
  "POST /v1/devices": "operate",
  "POST /v1/device-import": "operate",
  "GET /v1/devices/{name}": "look",
  "PATCH /v1/devices/{name}": "operate",
  "DELETE /v1/devices/{name}": "operate",
  "POST /v1/devices/{name}/claim": "operate",
  "POST /v1/devices/{name}/report": "operate",
  "GET /v1/version-route": "look",
  "GET /v1/devices/{name}/route": "look",
  "GET /v1/route-rules": "look",
  "POST /v1/route-rules": "operate",
  "DELETE /v1/route-rules/{name}": "operate",
  "POST /v1/readiness": "look",
  "GET /v1/jobs": "look",
  "POST /v1/jobs": "operate",
  "GET /v1/jobs/{device}": "look",
  "DELETE /v1/jobs/{device}": "operate",
  "POST /v1/jobs/{device}/marks": "operate",
  "POST /v1/jobs/{device}/owner": "operate",
  "POST /v1/jobs/{device}/acknowledgement": "operate",
  "GET /v1/jobs/{device}/sheet": "look",
  "GET /v1/rollouts": "look",
  "POST /v1/rollouts": "operate",
  "GET /v1/rollouts/{name}": "look",
  "GET /v1/rollouts/{name}/table": "look",
  "GET /v1/rollouts/{name}/readiness": "look",
  "POST /v1/rollouts/{name}/continuation": "operate",
  "DELETE /v1/rollouts/{name}": "operate",
  "GET /v1/rescue-profiles": "look",
  "GET /v1/rescues": "look",
  "POST /v1/rescues": "operate",
  "GET /v1/rescues/{number}": "look",
  "DELETE /v1/rescues/{number}": "operate",
  "POST /v1/pushes": "operate",
  "GET /v1/pushes/{number}": "look",
  "DELETE /v1/pushes/{number}": "operate",
  "GET /v1/canary": "look",
  "GET /v1/sites": "look",
  "PATCH /v1/sites/{name}": "operate",
  "GET /v1/platforms": "look",
  "GET /v1/lines": "look",
  "POST /v1/uploads": "operate",
  "GET /v1/uploads": "operate",
  "GET /v1/uploads/{number}": "operate",
  "PATCH /v1/uploads/{number}": "operate",
  "PUT /v1/uploads/{number}": "operate",
  "POST /v1/uploads/{number}/filing": "operate",
  "DELETE /v1/uploads/{number}": "operate",
  "GET /v1/images": "look",
  "GET /v1/images/{name}": "look",
  "PUT /v1/images/{name}": "operate",
  "PATCH /v1/images/{name}": "operate",
  "GET /v1/images/{name}/content": "look",
  "POST /v1/images/{name}/withdrawal": "operate",
  "DELETE /v1/images/{name}/withdrawal": "operate",
  "DELETE /v1/images/{name}": "administer",
  "POST /v1/images/{name}/extraction": "operate",
  "POST /v1/images/{name}/vouches": "operate",
  "DELETE /v1/images/{name}/vouches": "operate",
  "PUT /v1/images/{name}/documents/{document}": "operate",
  "GET /v1/images/{name}/documents/{document}": "look",
  "DELETE /v1/images/{name}/documents/{document}": "operate",
  "POST /v1/recognition": "operate",
  "GET /v1/suggestions": "look",
  "GET /v1/contents/{checksum}": "look",
  "GET /v1/comparison": "look",
  "GET /v1/offers": "look",
  "POST /v1/offers": "operate",
  "GET /v1/offers/{name}/history": "look",
  "PATCH /v1/offers/{name}": "operate",
  "DELETE /v1/offers/{name}": "operate",
  "GET /v1/checksums": "look",
  "GET /v1/kits": "look",
  "GET /v1/kits/{name}": "look",
  "POST /v1/kits": "operate",
  "PUT /v1/kits/{name}": "operate",
  "DELETE /v1/kits/{name}": "operate",
  "GET /v1/verification": "look",
  "POST /v1/verification": "operate",
  "GET /v1/unrecorded": "look",
  "POST /v1/unrecorded/{name}": "operate",
  "DELETE /v1/unrecorded/{name}": "operate",
  "GET /v1/nodes": "look",
  "DELETE /v1/nodes/{name}": "operate",
  "POST /v1/mirror/news": "mirror",
  "GET /v1/mirror/contents/{sha256}": "mirror",
  "GET /v1/mirror/chunks/{sha256}": "mirror",
  "POST /v1/mirror/ledger": "mirror",
  "PUT /v1/mirror/backups/{sha256}": "mirror",
  "GET /v1/mirrors": "look",
  "GET /v1/mirrors/{name}": "look",
  "POST /v1/mirrors/{name}/sync": "operate",
  "GET /v1/mirror": "look",
  "POST /v1/mirror/sync": "operate",
  "GET /v1/routes": "look",
  "GET /v1/openapi.json": "look",
} as const;
