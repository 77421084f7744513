// The table of operations: everything that can be called, with what is asked (in path and
// query), given (in the body) and answered. One more is an entry here and in
// operations.cc, a function in manage/, and a command in client/.
#pragma once

#include "api/access.h"
#include "api/backups.h"
#include "api/catalogue.h"
#include "api/fleet.h"
#include "api/jobs.h"
#include "api/operation.h"
#include "api/overview.h"
#include "api/people.h"
#include "api/rescue.h"
#include "api/service.h"
#include "api/shapes.h"
#include "api/uploads.h"

namespace vantro::api {

inline constexpr Operation<Nothing, Nothing, Health> kHealth{
    "GET", "/v1/alive", "that the server answers", Permission::kAnyone};

inline constexpr Operation<Nothing, Nothing, Status> kStatus{
    "GET", "/v1/status", "listeners, counts, free space, what is open to whom, trouble",
    Permission::kLook};

inline constexpr Operation<Nothing, Nothing, SettingList> kSettings{
    "GET", "/v1/settings", "the settings in force", Permission::kLook};

inline constexpr Operation<Nothing, Nothing, Text> kMetrics{
    "GET", "/metrics",
    "what the server counts and measures, in the text form of Prometheus; without a "
    "token "
    "from the networks of metrics.open_to",
    Permission::kLook};

inline constexpr Operation<Nothing, ReloadWanted, Reloaded> kReload{
    "POST", "/v1/reload", "read the settings and certificates again",
    Permission::kAdminister};

inline constexpr Operation<Nothing, Nothing, Drain> kDrain{
    "GET", "/v1/drain", "whether new transfers are taken, and what still runs",
    Permission::kLook};

inline constexpr Operation<Nothing, DrainWanted, Drain> kBeginDrain{
    "PUT", "/v1/drain", "take no new transfers; what runs goes on",
    Permission::kAdminister};

inline constexpr Operation<Nothing, Nothing, Drain> kEndDrain{
    "DELETE", "/v1/drain", "take new transfers again", Permission::kAdminister};

inline constexpr Operation<Nothing, Nothing, Snapshot> kSnapshot{
    "GET", "/v1/snapshot", "the last copy of the state, and how far it is",
    Permission::kLook};

inline constexpr Operation<Nothing, SnapshotWanted, Snapshot> kBeginSnapshot{
    "POST", "/v1/snapshot", "copy the state, while the server runs",
    Permission::kAdminister};

inline constexpr Operation<Nothing, Nothing, Snapshot> kEndSnapshot{
    "DELETE", "/v1/snapshot", "give up the copy that runs", Permission::kAdminister};

inline constexpr Operation<Nothing, Nothing, NoticeState> kNotices{
    "GET", "/v1/notices", "who gets notices, and what was told and is not over",
    Permission::kLook};

inline constexpr Operation<Nothing, NoticeTestWanted, NoticeTestResult> kTestNotices{
    "POST", "/v1/notices/test", "send a notice that is only a test",
    Permission::kOperate};

inline constexpr Operation<LoadAsked, Nothing, Load> kLoad{
    "GET", "/v1/load", "how busy the server was in the last minutes or hours",
    Permission::kLook};

inline constexpr Operation<Nothing, Nothing, InterfaceList> kInterfaces{
    "GET", "/v1/interfaces", "the server's Ethernet interfaces, for a rescue session",
    Permission::kLook};

inline constexpr Operation<FindAsked, Nothing, FoundList> kFind{
    "GET", "/v1/find",
    "images, devices and addresses by a part of a name, an address or a checksum",
    Permission::kLook};

inline constexpr Operation<Nothing, Nothing, TransferList> kTransfers{
    "GET", "/v1/transfers", "what runs, and what ended in the last 10 seconds",
    Permission::kLook};

inline constexpr Operation<Nothing, Nothing, Events> kEvents{
    "GET", "/v1/events",
    "server-sent events: a transfer that begins, moves or ends; a change",
    Permission::kLook};

inline constexpr Operation<ChangesAsked, Nothing, ChangePage> kChanges{
    "GET", "/v1/changes", "the change log: what a reader of the events has missed",
    Permission::kLook};

inline constexpr Operation<ContactsAsked, Nothing, ContactList> kContacts{
    "GET", "/v1/contacts", "the addresses that were heard, the last first",
    Permission::kLook};

inline constexpr Operation<AddressAsked, Nothing, Story> kContact{
    "GET", "/v1/contacts/{address}",
    "what happened with one address, in the order of time", Permission::kLook};

inline constexpr Operation<LedgerAsked, Nothing, LedgerPage> kLedger{
    "GET", "/v1/ledger", "what was transferred and changed, the newest first",
    Permission::kLook};

inline constexpr Operation<LedgerExportAsked, Nothing, Text> kLedgerExport{
    "GET", "/v1/ledger-export",
    "all rows that were asked for, oldest first, however many they are",
    Permission::kLook};

inline constexpr Operation<LedgerVerifyAsked, Nothing, LedgerVerified> kLedgerVerify{
    "GET", "/v1/ledger-verification",
    "hold every row of the ledger against the chain of hashes", Permission::kLook};

inline constexpr Operation<Nothing, Nothing, AccountList> kAccounts{
    "GET", "/v1/accounts", "who may do what; anonymous is everybody without an account",
    Permission::kLook};

inline constexpr Operation<Nothing, AccountFields, Account> kAddAccount{
    "POST", "/v1/accounts", "a new account", Permission::kAdminister};

inline constexpr Operation<Named, AccountFields, Account> kChangeAccount{
    "PATCH", "/v1/accounts/{name}", "change what is given of it",
    Permission::kAdminister};

inline constexpr Operation<Named, Nothing, AccountRemoved> kRemoveAccount{
    "DELETE", "/v1/accounts/{name}", "remove it", Permission::kAdminister};

inline constexpr Operation<Named, Nothing, AccountKeys> kAccountKeys{
    "GET", "/v1/accounts/{name}/keys", "the public keys that it logs in with over SSH",
    Permission::kLook};

inline constexpr Operation<Named, KeyGiven, AccountKey> kAddAccountKey{
    "POST", "/v1/accounts/{name}/keys", "one more key", Permission::kAdminister};

inline constexpr Operation<KeyAsked, Nothing, AccountKey> kRemoveAccountKey{
    "DELETE", "/v1/accounts/{name}/keys", "remove a key", Permission::kAdminister};

inline constexpr Operation<Nothing, Nothing, PersonList> kPeople{
    "GET", "/v1/people", "who manages the server, and what each may", Permission::kLook};

inline constexpr Operation<Nothing, PersonFields, Person> kAddPerson{
    "POST", "/v1/people", "a new person, without a token", Permission::kAdminister};

inline constexpr Operation<Named, PersonFields, Person> kChangePerson{
    "PATCH", "/v1/people/{name}", "change what is given", Permission::kAdminister};

inline constexpr Operation<Named, Nothing, PersonRemoved> kRemovePerson{
    "DELETE", "/v1/people/{name}", "remove a person with all tokens",
    Permission::kAdminister};

inline constexpr Operation<Named, Nothing, TokenList> kTokens{
    "GET", "/v1/people/{name}/tokens",
    "one's own tokens and log-ins; those of others for administrators",
    Permission::kLook};

inline constexpr Operation<Named, TokenWanted, TokenMade> kAddToken{
    "POST", "/v1/people/{name}/tokens", "one more token; as above", Permission::kLook};

inline constexpr Operation<TokenAsked, TokenRenewal, TokenMade> kRenewToken{
    "PATCH", "/v1/people/{name}/tokens/{label}",
    "let a token end later, or replace its text; as above", Permission::kLook};

inline constexpr Operation<TokenAsked, Nothing, TokenInfo> kRevokeToken{
    "DELETE", "/v1/people/{name}/tokens/{label}", "end a token now; as above",
    Permission::kLook};

inline constexpr Operation<Nothing, LogIn, LoggedIn> kLogIn{
    "POST", "/v1/log-in", "log in with a password", Permission::kAnyone};

inline constexpr Operation<Nothing, Nothing, Nothing> kLogOut{
    "DELETE", "/v1/log-in", "end the log-in or the token that is used for this call",
    Permission::kLook};

inline constexpr Operation<Nothing, Nothing, Me> kMe{
    "GET", "/v1/me", "as whom the server knows the caller", Permission::kLook};

inline constexpr Operation<Nothing, PasswordGiven, Me> kSetPassword{
    "POST", "/v1/me/password", "set one's own password", Permission::kLook};

inline constexpr Operation<LocationsAsked, Nothing, Locations> kLocations{
    "GET", "/v1/locations", "texts to paste into a device", Permission::kLook};

inline constexpr Operation<BackupsAsked, Nothing, BackupPage> kBackups{
    "GET", "/v1/backups", "revisions by holder, name and number", Permission::kLook};

inline constexpr Operation<OverviewAsked, Nothing, BackupOverview> kBackupOverview{
    "GET", "/v1/backup-overview", "a line for each file, and what is expected of whom",
    Permission::kLook};

inline constexpr Operation<Nothing, Nothing, Overdue> kBackupOverdue{
    "GET", "/v1/backup-overdue", "devices whose backups are late", Permission::kLook};

inline constexpr Operation<ReportAsked, Nothing, ChangeReport> kBackupReport{
    "GET", "/v1/backup-report", "what changed from one time to another",
    Permission::kLook};

inline constexpr Operation<CompareAsked, Nothing, Compared> kCompareBackups{
    "GET", "/v1/backup-comparison", "two revisions", Permission::kLook};

inline constexpr Operation<CompareWithAsked, TextGiven, Compared> kCompareBackupWith{
    "POST", "/v1/backup-comparison", "a revision against a text", Permission::kLook};

inline constexpr Operation<Nothing, ThinWanted, ThinnedOut> kThinOutBackups{
    "POST", "/v1/backup-thinning",
    "what retention let go, some thousand revisions at once", Permission::kOperate};

inline constexpr Operation<Nothing, Nothing, BackupOfferList> kBackupOffers{
    "GET", "/v1/backup-offers", "revisions that are on offer to a device",
    Permission::kLook};

inline constexpr Operation<Named, Nothing, BackupOfferEnded> kEndBackupOffer{
    "DELETE", "/v1/backup-offers/{name}", "end such an offer", Permission::kOperate};

inline constexpr Operation<RevisionAsked, Nothing, Backup> kBackup{
    "GET", "/v1/backups/{holder}/{name}", "one revision", Permission::kLook};

inline constexpr Operation<SecretsAsked, Nothing, Bytes> kBackupContent{
    "GET", "/v1/backups/{holder}/{name}/content",
    "its bytes; X-Vantro-SHA-256 has their digest if it is complete; refused where it "
    "holds secrets and is not asked for with them",
    Permission::kLook};

inline constexpr Operation<SecretsAsked, Nothing, Text> kBackupText{
    "GET", "/v1/backups/{holder}/{name}/text",
    "its text, with its secrets masked or shown", Permission::kLook};

inline constexpr Operation<RevisionAsked, PinWanted, Backup> kPinBackup{
    "POST", "/v1/backups/{holder}/{name}/pin", "keep it for ever, or not any more",
    Permission::kOperate};

inline constexpr Operation<RevisionAsked, BackupOfferWanted, BackupOffer> kOfferBackup{
    "POST", "/v1/backups/{holder}/{name}/offer", "put it on offer to one device",
    Permission::kOperate};

inline constexpr Operation<RevisionAsked, AdoptWanted, ImageAdded> kAdoptBackup{
    "POST", "/v1/backups/{holder}/{name}/image", "take it into the catalogue",
    Permission::kOperate};

inline constexpr Operation<DeviceFilter, Nothing, DeviceList> kDevices{
    "GET", "/v1/devices", "the inventory", Permission::kLook};

inline constexpr Operation<Nothing, DeviceFields, Device> kAddDevice{
    "POST", "/v1/devices", "make one known", Permission::kOperate};

inline constexpr Operation<Nothing, DeviceTable, Imported> kImportDevices{
    "POST", "/v1/device-import", "many at once", Permission::kOperate};

inline constexpr Operation<Named, Nothing, Device> kDevice{
    "GET", "/v1/devices/{name}", "one of them, and its addresses with unclaimed backups",
    Permission::kLook};

inline constexpr Operation<Named, DeviceFields, Device> kChangeDevice{
    "PATCH", "/v1/devices/{name}", "change what is given of it", Permission::kOperate};

inline constexpr Operation<Named, Nothing, Claimed> kRemoveDevice{
    "DELETE", "/v1/devices/{name}",
    "remove it; its backups stand under their addresses then", Permission::kOperate};

inline constexpr Operation<Named, AddressGiven, Claimed> kClaimAddress{
    "POST", "/v1/devices/{name}/claim",
    "what came from an address becomes its own, with its rows of the ledger",
    Permission::kOperate};

inline constexpr Operation<Named, ReportGiven, ReportRead> kReadReport{
    "POST", "/v1/devices/{name}/report",
    "read a listing of the device, and learn its state from it", Permission::kOperate};

inline constexpr Operation<RouteAsked, Nothing, VersionRoute> kFindRoute{
    "GET", "/v1/version-route", "the shortest permitted way to a version",
    Permission::kLook};

inline constexpr Operation<DeviceRouteAsked, Nothing, VersionRoute> kDeviceRoute{
    "GET", "/v1/devices/{name}/route",
    "the shortest permitted way from what a device runs to an image", Permission::kLook};

inline constexpr Operation<RulesAsked, Nothing, RuleList> kRouteRules{
    "GET", "/v1/route-rules", "what may follow what", Permission::kLook};

inline constexpr Operation<Nothing, RuleTable, RulesImported> kImportRules{
    "POST", "/v1/route-rules",
    "import a table; it replaces the rules of the platforms in it", Permission::kOperate};

inline constexpr Operation<Named, Nothing, RulesRemoved> kRemoveRules{
    "DELETE", "/v1/route-rules/{name}", "remove the rules of a platform",
    Permission::kOperate};

inline constexpr Operation<Nothing, ReadinessAsked, Readiness> kReadiness{
    "POST", "/v1/readiness",
    "check everything before the point of no return; the open job remembers it",
    Permission::kLook};

inline constexpr Operation<JobsAsked, Nothing, JobList> kJobs{
    "GET", "/v1/jobs", "planned changes, and what they wait for", Permission::kLook};

inline constexpr Operation<Nothing, JobWanted, Job> kPlanJob{
    "POST", "/v1/jobs", "plan a change; a device has one open job", Permission::kOperate};

inline constexpr Operation<DeviceNamed, Nothing, Job> kJob{
    "GET", "/v1/jobs/{device}", "the open job of a device, or its last one",
    Permission::kLook};

inline constexpr Operation<JobEnd, Nothing, Job> kWithdrawJob{
    "DELETE", "/v1/jobs/{device}", "withdraw it; the offers made for it end",
    Permission::kOperate};

inline constexpr Operation<DeviceNamed, JobMarkWanted, Job> kMarkJob{
    "POST", "/v1/jobs/{device}/marks", "report what the server can't see",
    Permission::kOperate};

inline constexpr Operation<DeviceNamed, Nothing, Job> kTakeJob{
    "POST", "/v1/jobs/{device}/owner", "take it over", Permission::kOperate};

inline constexpr Operation<DeviceNamed, Nothing, Job> kAcknowledgeJob{
    "POST", "/v1/jobs/{device}/acknowledgement", "say that its remarks were read",
    Permission::kOperate};

inline constexpr Operation<SheetAsked, Nothing, Sheet> kJobSheet{
    "GET", "/v1/jobs/{device}/sheet", "the values to type on the device",
    Permission::kLook};

inline constexpr Operation<Nothing, Nothing, RolloutList> kRollouts{
    "GET", "/v1/rollouts", "changes of many devices", Permission::kLook};

inline constexpr Operation<Nothing, RolloutWanted, Rollout> kPlanRollout{
    "POST", "/v1/rollouts", "plan jobs for many devices in batches",
    Permission::kOperate};

inline constexpr Operation<Named, Nothing, Rollout> kRollout{
    "GET", "/v1/rollouts/{name}", "one of them, with its devices", Permission::kLook};

inline constexpr Operation<Named, Nothing, Text> kRolloutTable{
    "GET", "/v1/rollouts/{name}/table", "its devices as a table (CSV)",
    Permission::kLook};

inline constexpr Operation<Named, Nothing, RolloutReadiness> kRolloutReadiness{
    "GET", "/v1/rollouts/{name}/readiness",
    "whether the devices of its open jobs are ready", Permission::kLook};

inline constexpr Operation<Named, RolloutRemark, Rollout> kContinueRollout{
    "POST", "/v1/rollouts/{name}/continuation", "let it go on after failures",
    Permission::kOperate};

inline constexpr Operation<RolloutEnd, Nothing, Rollout> kWithdrawRollout{
    "DELETE", "/v1/rollouts/{name}", "withdraw it with its open jobs",
    Permission::kOperate};

inline constexpr Operation<Nothing, Nothing, RescueProfileList> kRescueProfiles{
    "GET", "/v1/rescue-profiles", "how devices without a system are brought back",
    Permission::kLook};

inline constexpr Operation<Nothing, Nothing, RescueList> kRescues{
    "GET", "/v1/rescues", "rescue sessions, newest first", Permission::kLook};

inline constexpr Operation<Nothing, RescueWanted, RescueOpened> kOpenRescue{
    "POST", "/v1/rescues",
    "check a wire, and open it for a time to a device without a system; a profile that "
    "sends into the device needs the right push",
    Permission::kOperate};

inline constexpr Operation<RescueAsked, Nothing, Rescue> kRescue{
    "GET", "/v1/rescues/{number}", "one session: its stage, and what happened",
    Permission::kLook};

inline constexpr Operation<RescueAsked, Nothing, Rescue> kCloseRescue{
    "DELETE", "/v1/rescues/{number}", "end it now; everything that it opened is closed",
    Permission::kOperate};

inline constexpr Operation<Nothing, PushWanted, Push> kBeginPush{
    "POST", "/v1/pushes",
    "send an image to a device that waits for it; needs the right push",
    Permission::kOperate};

inline constexpr Operation<PushAsked, Nothing, PushState> kPush{
    "GET", "/v1/pushes/{number}", "how far it is", Permission::kLook};

inline constexpr Operation<PushAsked, Nothing, PushState> kEndPush{
    "DELETE", "/v1/pushes/{number}", "end it now", Permission::kOperate};

inline constexpr Operation<Nothing, Nothing, CanaryWays> kCanaryWays{
    "GET", "/v1/canary", "where devices can fetch the canary, hello", Permission::kLook};

inline constexpr Operation<Nothing, Nothing, SiteList> kSites{
    "GET", "/v1/sites", "sites, and how often backups are expected of their devices",
    Permission::kLook};

inline constexpr Operation<Named, SiteSchedule, SiteSchedule> kChangeSite{
    "PATCH", "/v1/sites/{name}", "how often that is", Permission::kOperate};

inline constexpr Operation<Nothing, Nothing, PlatformList> kPlatforms{
    "GET", "/v1/platforms", "the platforms that images are for", Permission::kLook};

inline constexpr Operation<PlatformAsked, Nothing, LineList> kLines{
    "GET", "/v1/lines",
    "platforms, roles and release lines, with the newest image of each",
    Permission::kLook};

inline constexpr Operation<Nothing, UploadWanted, Upload> kBeginUpload{
    "POST", "/v1/uploads",
    "begin to send an image in pieces, which may go on after a broken connection",
    Permission::kOperate};

inline constexpr Operation<Nothing, Nothing, UploadList> kUploads{
    "GET", "/v1/uploads", "the caller's images that come in pieces",
    Permission::kOperate};

inline constexpr Operation<UploadAsked, Nothing, Upload> kUpload{
    "GET", "/v1/uploads/{number}", "how far one of them is", Permission::kOperate};

inline constexpr Operation<UploadAsked, UploadDescription, Upload> kDescribeUpload{
    "PATCH", "/v1/uploads/{number}", "say again what it is, in place of what was said",
    Permission::kOperate};

inline constexpr Operation<PieceAsked, Bytes, Upload> kSendPiece{
    "PUT", "/v1/uploads/{number}",
    "the next piece: the body is its bytes, at most 32 MiB", Permission::kOperate};

inline constexpr Operation<UploadAsked, FilingWanted, ImageAdded> kFileUpload{
    "POST", "/v1/uploads/{number}/filing",
    "all has been sent: compare it, look inside, and add it", Permission::kOperate};

inline constexpr Operation<UploadAsked, Nothing, Nothing> kDropUpload{
    "DELETE", "/v1/uploads/{number}", "drop it; nothing of it is kept",
    Permission::kOperate};

inline constexpr Operation<ImageFilter, Nothing, ImageList> kImages{
    "GET", "/v1/images", "images by platform, role and version", Permission::kLook};

inline constexpr Operation<Named, Nothing, ImageDetail> kImage{
    "GET", "/v1/images/{name}", "everything about one image, by any of its names",
    Permission::kLook};

inline constexpr Operation<ImageGiven, Bytes, ImageAdded> kAddImage{
    "PUT", "/v1/images/{name}", "add an image: the body is its bytes",
    Permission::kOperate};

inline constexpr Operation<Named, FactFields, FactChanges> kEditImage{
    "PATCH", "/v1/images/{name}", "change facts", Permission::kOperate};

inline constexpr Operation<Named, Nothing, Bytes> kImageContent{
    "GET", "/v1/images/{name}/content", "its bytes", Permission::kLook};

inline constexpr Operation<Named, WithdrawalGiven, EndedOffers> kWithdrawImage{
    "POST", "/v1/images/{name}/withdrawal", "end its offers", Permission::kOperate};

inline constexpr Operation<ReturnAsked, Nothing, ImageReturned> kReturnImage{
    "DELETE", "/v1/images/{name}/withdrawal", "take the withdrawal back",
    Permission::kOperate};

inline constexpr Operation<RemoveAsked, Nothing, Nothing> kRemoveImage{
    "DELETE", "/v1/images/{name}",
    "remove it for good, with its bytes; not while it is on offer or a part of a kit",
    Permission::kAdminister};

inline constexpr Operation<Named, ExtractWanted, Extracted> kExtractMember{
    "POST", "/v1/images/{name}/extraction",
    "take a member of an archive out, as an image or as a document of one",
    Permission::kOperate};

inline constexpr Operation<Named, VouchGiven, Vouched> kVouchImage{
    "POST", "/v1/images/{name}/vouches", "compare it with the maker's checksums",
    Permission::kOperate};

inline constexpr Operation<Named, Nothing, Vouched> kRetractVouches{
    "DELETE", "/v1/images/{name}/vouches",
    "take back the checksums that differ, or else all", Permission::kOperate};

inline constexpr Operation<DocumentAsked, Bytes, Document> kAttachDocument{
    "PUT", "/v1/images/{name}/documents/{document}",
    "attach release notes: the body is their bytes, at most 32 MiB",
    Permission::kOperate};

inline constexpr Operation<DocumentAsked, Nothing, Bytes> kDocument{
    "GET", "/v1/images/{name}/documents/{document}", "their bytes", Permission::kLook};

inline constexpr Operation<DocumentAsked, Nothing, Nothing> kDetachDocument{
    "DELETE", "/v1/images/{name}/documents/{document}", "take them away",
    Permission::kOperate};

inline constexpr Operation<Nothing, RecogniseWanted, RecognisedList> kRecogniseAll{
    "POST", "/v1/recognition",
    "what the recognisers tell of images that lack it; with fill they get it",
    Permission::kOperate};

inline constexpr Operation<NameAsked, Nothing, SuggestionList> kSuggestions{
    "GET", "/v1/suggestions", "what the recognisers make of a name", Permission::kLook};

inline constexpr Operation<ChecksumAsked, Nothing, ContentKnown> kContent{
    "GET", "/v1/contents/{checksum}",
    "whether bytes with this checksum are in the catalogue", Permission::kLook};

inline constexpr Operation<ImagePair, Nothing, ImagesCompared> kCompareImages{
    "GET", "/v1/comparison", "two images", Permission::kLook};

inline constexpr Operation<OffersAsked, Nothing, OfferList> kOffers{
    "GET", "/v1/offers", "the names that devices can fetch", Permission::kLook};

inline constexpr Operation<Nothing, OfferWanted, OfferMade> kAddOffer{
    "POST", "/v1/offers", "offer an image", Permission::kOperate};

inline constexpr Operation<Named, Nothing, OfferList> kOfferHistory{
    "GET", "/v1/offers/{name}/history", "what a name stood for, the newest first",
    Permission::kLook};

inline constexpr Operation<Named, OfferChanges, OfferMade> kChangeOffer{
    "PATCH", "/v1/offers/{name}", "let it stand for another image, or change its limits",
    Permission::kOperate};

inline constexpr Operation<OfferAsked, Nothing, Offer> kEndOffer{
    "DELETE", "/v1/offers/{name}", "end it", Permission::kOperate};

inline constexpr Operation<ChecksumsAsked, Nothing, Text> kChecksums{
    "GET", "/v1/checksums", "a checksum list of all names on offer", Permission::kLook};

inline constexpr Operation<Nothing, Nothing, KitList> kKits{
    "GET", "/v1/kits", "the kits with their parts", Permission::kLook};

inline constexpr Operation<Named, Nothing, Kit> kKit{"GET", "/v1/kits/{name}", "one kit",
                                                     Permission::kLook};

inline constexpr Operation<Nothing, KitWanted, Kit> kAddKit{
    "POST", "/v1/kits", "make one", Permission::kOperate};

inline constexpr Operation<Named, KitParts, Kit> kChangeKit{
    "PUT", "/v1/kits/{name}", "give it these parts and remarks in place of its own",
    Permission::kOperate};

inline constexpr Operation<Named, Nothing, Nothing> kRemoveKit{
    "DELETE", "/v1/kits/{name}", "remove it; its images stay", Permission::kOperate};

inline constexpr Operation<Nothing, Nothing, Verification> kVerification{
    "GET", "/v1/verification", "how far reading everything again has come",
    Permission::kLook};

inline constexpr Operation<Nothing, VerifyWanted, Verification> kVerify{
    "POST", "/v1/verification", "begin it", Permission::kOperate};

inline constexpr Operation<Nothing, Nothing, UnrecordedList> kUnrecorded{
    "GET", "/v1/unrecorded", "stored files that have no record", Permission::kLook};

inline constexpr Operation<Named, Nothing, UnrecordedDecision> kKeepUnrecorded{
    "POST", "/v1/unrecorded/{name}",
    "record it again, as a held image (encrypted: as a backup)", Permission::kOperate};

inline constexpr Operation<Named, Nothing, UnrecordedDecision> kRemoveUnrecorded{
    "DELETE", "/v1/unrecorded/{name}", "remove it for good", Permission::kOperate};

inline constexpr Operation<Nothing, Nothing, RouteTable> kRoutes{
    "GET", "/v1/routes", "this table", Permission::kLook};

inline constexpr Operation<Nothing, Nothing, Json> kOpenApi{
    "GET", "/v1/openapi.json", "this table as an OpenAPI 3.1 description",
    Permission::kLook};

}  // namespace vantro::api
