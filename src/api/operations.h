// The table of operations: everything that can be called, with its parameters (in path
// and query), its body and its answer. One more needs an entry here and in operations.cc,
// a function in manage/, and a command in client/.
#pragma once

#include "api/access.h"
#include "api/backups.h"
#include "api/catalogue.h"
#include "api/fleet.h"
#include "api/jobs.h"
#include "api/mirrors.h"
#include "api/operation.h"
#include "api/overview.h"
#include "api/people.h"
#include "api/rescue.h"
#include "api/service.h"
#include "api/shapes.h"
#include "api/uploads.h"

namespace vantro::api {

inline constexpr Operation<Nothing, Nothing, Health> kHealth{
    "GET", "/v1/alive", "check that the server answers", Permission::kAnyone};

inline constexpr Operation<Nothing, Nothing, Status> kStatus{
    "GET", "/v1/status",
    "show listeners, counts, free space, what is open to whom, and trouble",
    Permission::kLook};

inline constexpr Operation<Nothing, Nothing, SettingList> kSettings{
    "GET", "/v1/settings", "list the settings in force", Permission::kLook};

inline constexpr Operation<Nothing, Nothing, Text> kMetrics{
    "GET", "/metrics",
    "read the metrics in the text form of Prometheus; without a token from the networks "
    "of metrics.open_to",
    Permission::kLook};

inline constexpr Operation<Nothing, ReloadWanted, Reloaded> kReload{
    "POST", "/v1/reload", "read the settings and certificates again",
    Permission::kAdminister};

inline constexpr Operation<Nothing, Nothing, Drain> kDrain{
    "GET", "/v1/drain", "show whether new transfers are accepted, and which still run",
    Permission::kLook};

inline constexpr Operation<Nothing, DrainWanted, Drain> kBeginDrain{
    "PUT", "/v1/drain", "accept no new transfers; running ones go on",
    Permission::kAdminister};

inline constexpr Operation<Nothing, Nothing, Drain> kEndDrain{
    "DELETE", "/v1/drain", "accept new transfers again", Permission::kAdminister};

inline constexpr Operation<Nothing, Nothing, Snapshot> kSnapshot{
    "GET", "/v1/snapshot", "show the last copy of the state, and its progress",
    Permission::kLook};

inline constexpr Operation<Nothing, SnapshotWanted, Snapshot> kBeginSnapshot{
    "POST", "/v1/snapshot", "copy the state while the server runs",
    Permission::kAdminister};

inline constexpr Operation<Nothing, Nothing, Snapshot> kEndSnapshot{
    "DELETE", "/v1/snapshot", "stop the running copy", Permission::kAdminister};

inline constexpr Operation<Nothing, Nothing, NoticeState> kNotices{
    "GET", "/v1/notices", "list the receivers of notices, and the open events",
    Permission::kLook};

inline constexpr Operation<Nothing, NoticeTestWanted, NoticeTestResult> kTestNotices{
    "POST", "/v1/notices/test", "send a test notice", Permission::kOperate};

inline constexpr Operation<LoadAsked, Nothing, Load> kLoad{
    "GET", "/v1/load", "show how busy the server was in the last minutes or hours",
    Permission::kLook};

inline constexpr Operation<Nothing, Nothing, InterfaceList> kInterfaces{
    "GET", "/v1/interfaces",
    "list the server's Ethernet interfaces, for a rescue session", Permission::kLook};

inline constexpr Operation<FindAsked, Nothing, FoundList> kFind{
    "GET", "/v1/find",
    "find images, devices and addresses by a part of a name, an address or a checksum",
    Permission::kLook};

inline constexpr Operation<Nothing, Nothing, TransferList> kTransfers{
    "GET", "/v1/transfers",
    "list running transfers, and those that ended in the last 10 seconds",
    Permission::kLook};

inline constexpr Operation<Nothing, Nothing, Events> kEvents{
    "GET", "/v1/events",
    "follow server-sent events: a transfer begins, moves or ends; something was changed",
    Permission::kLook};

inline constexpr Operation<ChangesAsked, Nothing, ChangePage> kChanges{
    "GET", "/v1/changes", "read the change log, after missed events", Permission::kLook};

inline constexpr Operation<ContactsAsked, Nothing, ContactList> kContacts{
    "GET", "/v1/contacts",
    "list the addresses that contacted the server, the last one first",
    Permission::kLook};

inline constexpr Operation<AddressAsked, Nothing, Story> kContact{
    "GET", "/v1/contacts/{address}", "show what happened with one address, in order",
    Permission::kLook};

inline constexpr Operation<LedgerAsked, Nothing, LedgerPage> kLedger{
    "GET", "/v1/ledger", "list what was transferred and changed, newest first",
    Permission::kLook};

inline constexpr Operation<LedgerExportAsked, Nothing, Text> kLedgerExport{
    "GET", "/v1/ledger-export", "export all rows that match, oldest first",
    Permission::kLook};

inline constexpr Operation<LedgerVerifyAsked, Nothing, LedgerVerified> kLedgerVerify{
    "GET", "/v1/ledger-verification",
    "compare every row of the ledger with the chain of hashes", Permission::kLook};

inline constexpr Operation<Nothing, Nothing, AccountList> kAccounts{
    "GET", "/v1/accounts", "list the accounts; anonymous is everybody without one",
    Permission::kLook};

inline constexpr Operation<Nothing, AccountFields, Account> kAddAccount{
    "POST", "/v1/accounts", "add an account", Permission::kAdminister,
    Home::kHeadquarters};

inline constexpr Operation<Named, AccountFields, Account> kChangeAccount{
    "PATCH", "/v1/accounts/{name}", "change the fields that are sent",
    Permission::kAdminister, Home::kHeadquarters};

inline constexpr Operation<Named, Nothing, AccountRemoved> kRemoveAccount{
    "DELETE", "/v1/accounts/{name}", "remove an account", Permission::kAdminister,
    Home::kHeadquarters};

inline constexpr Operation<Named, Nothing, AccountKeys> kAccountKeys{
    "GET", "/v1/accounts/{name}/keys", "list its public keys for SSH", Permission::kLook};

inline constexpr Operation<Named, KeyGiven, AccountKey> kAddAccountKey{
    "POST", "/v1/accounts/{name}/keys", "add a key", Permission::kAdminister,
    Home::kHeadquarters};

inline constexpr Operation<KeyAsked, Nothing, AccountKey> kRemoveAccountKey{
    "DELETE", "/v1/accounts/{name}/keys", "remove a key", Permission::kAdminister,
    Home::kHeadquarters};

inline constexpr Operation<Nothing, Nothing, PersonList> kPeople{
    "GET", "/v1/people", "list the people who manage the server, and their rights",
    Permission::kLook};

inline constexpr Operation<Nothing, PersonFields, Person> kAddPerson{
    "POST", "/v1/people", "add a person, without a token", Permission::kAdminister};

inline constexpr Operation<Named, PersonFields, Person> kChangePerson{
    "PATCH", "/v1/people/{name}", "change the fields that are sent",
    Permission::kAdminister};

inline constexpr Operation<Named, Nothing, PersonRemoved> kRemovePerson{
    "DELETE", "/v1/people/{name}", "remove a person with all tokens",
    Permission::kAdminister};

inline constexpr Operation<Named, Nothing, TokenList> kTokens{
    "GET", "/v1/people/{name}/tokens",
    "list one's own tokens and log-ins; administrators see those of others",
    Permission::kLook};

inline constexpr Operation<Named, TokenWanted, TokenMade> kAddToken{
    "POST", "/v1/people/{name}/tokens", "add a token; rights as above",
    Permission::kLook};

inline constexpr Operation<TokenAsked, TokenRenewal, TokenMade> kRenewToken{
    "PATCH", "/v1/people/{name}/tokens/{label}",
    "change a token's end, or replace its text; rights as above", Permission::kLook};

inline constexpr Operation<TokenAsked, Nothing, TokenInfo> kRevokeToken{
    "DELETE", "/v1/people/{name}/tokens/{label}", "end a token now; rights as above",
    Permission::kLook};

inline constexpr Operation<Nothing, LogIn, LoggedIn> kLogIn{
    "POST", "/v1/log-in", "log in with a password", Permission::kAnyone};

inline constexpr Operation<Nothing, Nothing, Nothing> kLogOut{
    "DELETE", "/v1/log-in", "end the log-in or the token of this call",
    Permission::kLook};

inline constexpr Operation<Nothing, Nothing, Me> kMe{
    "GET", "/v1/me", "show as whom the server knows the caller", Permission::kLook};

inline constexpr Operation<Nothing, PasswordGiven, Me> kSetPassword{
    "POST", "/v1/me/password", "set one's own password", Permission::kLook};

inline constexpr Operation<LocationsAsked, Nothing, Locations> kLocations{
    "GET", "/v1/locations", "list texts to paste into a device", Permission::kLook};

inline constexpr Operation<BackupsAsked, Nothing, BackupPage> kBackups{
    "GET", "/v1/backups", "list revisions by holder, name and number", Permission::kLook};

inline constexpr Operation<OverviewAsked, Nothing, BackupOverview> kBackupOverview{
    "GET", "/v1/backup-overview", "list each file, and the devices with expected backups",
    Permission::kLook};

inline constexpr Operation<Nothing, Nothing, Overdue> kBackupOverdue{
    "GET", "/v1/backup-overdue", "list devices whose backups are late",
    Permission::kLook};

inline constexpr Operation<ReportAsked, Nothing, ChangeReport> kBackupReport{
    "GET", "/v1/backup-report", "show what changed between two times", Permission::kLook};

inline constexpr Operation<CompareAsked, Nothing, Compared> kCompareBackups{
    "GET", "/v1/backup-comparison", "compare two revisions", Permission::kLook};

inline constexpr Operation<CompareWithAsked, TextGiven, Compared> kCompareBackupWith{
    "POST", "/v1/backup-comparison", "compare a revision with a text", Permission::kLook};

inline constexpr Operation<Nothing, ThinWanted, ThinnedOut> kThinOutBackups{
    "POST", "/v1/backup-thinning",
    "remove what retention no longer keeps, some thousand revisions at a time",
    Permission::kOperate};

inline constexpr Operation<Nothing, Nothing, BackupOfferList> kBackupOffers{
    "GET", "/v1/backup-offers", "list revisions that are on offer to a device",
    Permission::kLook};

inline constexpr Operation<Named, Nothing, BackupOfferEnded> kEndBackupOffer{
    "DELETE", "/v1/backup-offers/{name}", "end an offer", Permission::kOperate};

inline constexpr Operation<RevisionAsked, Nothing, Backup> kBackup{
    "GET", "/v1/backups/{holder}/{name}", "show one revision", Permission::kLook};

inline constexpr Operation<SecretsAsked, Nothing, Bytes> kBackupContent{
    "GET", "/v1/backups/{holder}/{name}/content",
    "read its bytes; X-Vantro-SHA-256 has their digest if it is complete; refused if it "
    "has secrets and the call does not ask for them",
    Permission::kLook};

inline constexpr Operation<SecretsAsked, Nothing, Text> kBackupText{
    "GET", "/v1/backups/{holder}/{name}/text",
    "read its text, with its secrets masked or shown", Permission::kLook};

inline constexpr Operation<RevisionAsked, PinWanted, Backup> kPinBackup{
    "POST", "/v1/backups/{holder}/{name}/pin", "keep a revision for ever, or no longer",
    Permission::kOperate};

inline constexpr Operation<RevisionAsked, BackupOfferWanted, BackupOffer> kOfferBackup{
    "POST", "/v1/backups/{holder}/{name}/offer", "put a revision on offer to one device",
    Permission::kOperate};

inline constexpr Operation<RevisionAsked, AdoptWanted, ImageAdded> kAdoptBackup{
    "POST", "/v1/backups/{holder}/{name}/image", "add it to the catalogue as an image",
    Permission::kOperate, Home::kHeadquarters};

inline constexpr Operation<DeviceFilter, Nothing, DeviceList> kDevices{
    "GET", "/v1/devices", "list the devices", Permission::kLook};

inline constexpr Operation<Nothing, DeviceFields, Device> kAddDevice{
    "POST", "/v1/devices", "add a device", Permission::kOperate, Home::kHeadquarters};

inline constexpr Operation<Nothing, DeviceTable, Imported> kImportDevices{
    "POST", "/v1/device-import", "add or change many devices from a table",
    Permission::kOperate, Home::kHeadquarters};

inline constexpr Operation<Named, Nothing, Device> kDevice{
    "GET", "/v1/devices/{name}",
    "show one device, and its addresses with unassigned backups", Permission::kLook};

inline constexpr Operation<Named, DeviceFields, Device> kChangeDevice{
    "PATCH", "/v1/devices/{name}", "change the fields that are sent",
    Permission::kOperate, Home::kHeadquarters};

inline constexpr Operation<Named, Nothing, Claimed> kRemoveDevice{
    "DELETE", "/v1/devices/{name}",
    "remove a device; its backups are then listed under their addresses",
    Permission::kOperate, Home::kHeadquarters};

inline constexpr Operation<Named, AddressGiven, Claimed> kClaimAddress{
    "POST", "/v1/devices/{name}/claim",
    "give everything from an address to the device, with the ledger's rows",
    Permission::kOperate, Home::kHeadquarters};

inline constexpr Operation<Named, ReportGiven, ReportRead> kReadReport{
    "POST", "/v1/devices/{name}/report",
    "read a listing of the device, and learn its state", Permission::kOperate,
    Home::kHeadquarters};

inline constexpr Operation<RouteAsked, Nothing, VersionRoute> kFindRoute{
    "GET", "/v1/version-route", "find the shortest permitted route to a version",
    Permission::kLook};

inline constexpr Operation<DeviceRouteAsked, Nothing, VersionRoute> kDeviceRoute{
    "GET", "/v1/devices/{name}/route",
    "find the shortest permitted route of a device to an image", Permission::kLook};

inline constexpr Operation<RulesAsked, Nothing, RuleList> kRouteRules{
    "GET", "/v1/route-rules", "list which version may follow which", Permission::kLook};

inline constexpr Operation<Nothing, RuleTable, RulesImported> kImportRules{
    "POST", "/v1/route-rules",
    "import a table; it replaces the rules of the platforms in it", Permission::kOperate,
    Home::kHeadquarters};

inline constexpr Operation<Named, Nothing, RulesRemoved> kRemoveRules{
    "DELETE", "/v1/route-rules/{name}", "remove the rules of a platform",
    Permission::kOperate, Home::kHeadquarters};

inline constexpr Operation<Nothing, ReadinessAsked, Readiness> kReadiness{
    "POST", "/v1/readiness",
    "check everything before the point of no return; the open job remembers the result",
    Permission::kLook};

inline constexpr Operation<JobsAsked, Nothing, JobList> kJobs{
    "GET", "/v1/jobs", "list planned changes, and what they wait for", Permission::kLook};

inline constexpr Operation<Nothing, JobWanted, Job> kPlanJob{
    "POST", "/v1/jobs", "plan a change; a device has one open job", Permission::kOperate,
    Home::kHeadquarters};

inline constexpr Operation<DeviceNamed, Nothing, Job> kJob{
    "GET", "/v1/jobs/{device}", "show the open job of a device, or its last one",
    Permission::kLook};

inline constexpr Operation<JobEnd, Nothing, Job> kWithdrawJob{
    "DELETE", "/v1/jobs/{device}", "end the job; offers made for it end, too",
    Permission::kOperate, Home::kHeadquarters};

inline constexpr Operation<DeviceNamed, JobMarkWanted, Job> kMarkJob{
    "POST", "/v1/jobs/{device}/marks", "report a step that the server can't see",
    Permission::kOperate, Home::kHeadquarters};

inline constexpr Operation<DeviceNamed, Nothing, Job> kTakeJob{
    "POST", "/v1/jobs/{device}/owner", "take over the job", Permission::kOperate,
    Home::kHeadquarters};

inline constexpr Operation<DeviceNamed, Nothing, Job> kAcknowledgeJob{
    "POST", "/v1/jobs/{device}/acknowledgement", "confirm that the remarks were read",
    Permission::kOperate, Home::kHeadquarters};

inline constexpr Operation<SheetAsked, Nothing, Sheet> kJobSheet{
    "GET", "/v1/jobs/{device}/sheet", "list the values to type on the device",
    Permission::kLook};

inline constexpr Operation<Nothing, Nothing, RolloutList> kRollouts{
    "GET", "/v1/rollouts", "list changes of many devices", Permission::kLook};

inline constexpr Operation<Nothing, RolloutWanted, Rollout> kPlanRollout{
    "POST", "/v1/rollouts", "plan jobs for many devices in batches", Permission::kOperate,
    Home::kHeadquarters};

inline constexpr Operation<Named, Nothing, Rollout> kRollout{
    "GET", "/v1/rollouts/{name}", "show one rollout with its devices", Permission::kLook};

inline constexpr Operation<Named, Nothing, Text> kRolloutTable{
    "GET", "/v1/rollouts/{name}/table", "read its devices as a table (CSV)",
    Permission::kLook};

inline constexpr Operation<Named, Nothing, RolloutReadiness> kRolloutReadiness{
    "GET", "/v1/rollouts/{name}/readiness",
    "check whether the devices of its open jobs are ready", Permission::kLook};

inline constexpr Operation<Named, RolloutRemark, Rollout> kContinueRollout{
    "POST", "/v1/rollouts/{name}/continuation", "continue after failures",
    Permission::kOperate, Home::kHeadquarters};

inline constexpr Operation<RolloutEnd, Nothing, Rollout> kWithdrawRollout{
    "DELETE", "/v1/rollouts/{name}", "end a rollout with its open jobs",
    Permission::kOperate, Home::kHeadquarters};

inline constexpr Operation<Nothing, Nothing, RescueProfileList> kRescueProfiles{
    "GET", "/v1/rescue-profiles", "list how devices without a system are recovered",
    Permission::kLook};

inline constexpr Operation<Nothing, Nothing, RescueList> kRescues{
    "GET", "/v1/rescues", "list rescue sessions, newest first", Permission::kLook};

inline constexpr Operation<Nothing, RescueWanted, RescueOpened> kOpenRescue{
    "POST", "/v1/rescues",
    "check a wire, and open it for a time to a device without a system; a profile that "
    "sends to the device needs the right push",
    Permission::kOperate};

inline constexpr Operation<RescueAsked, Nothing, Rescue> kRescue{
    "GET", "/v1/rescues/{number}", "show one session: its stage, and what happened",
    Permission::kLook};

inline constexpr Operation<RescueAsked, Nothing, Rescue> kCloseRescue{
    "DELETE", "/v1/rescues/{number}",
    "end a session now; everything that it opened is closed", Permission::kOperate};

inline constexpr Operation<Nothing, PushWanted, Push> kBeginPush{
    "POST", "/v1/pushes",
    "send an image to a device that waits for it; needs the right push",
    Permission::kOperate};

inline constexpr Operation<PushAsked, Nothing, PushState> kPush{
    "GET", "/v1/pushes/{number}", "show the progress of a push", Permission::kLook};

inline constexpr Operation<PushAsked, Nothing, PushState> kEndPush{
    "DELETE", "/v1/pushes/{number}", "end a push now", Permission::kOperate};

inline constexpr Operation<Nothing, Nothing, CanaryWays> kCanaryWays{
    "GET", "/v1/canary", "list where devices can fetch the canary, hello",
    Permission::kLook};

inline constexpr Operation<Nothing, Nothing, SiteList> kSites{
    "GET", "/v1/sites", "list sites, and how often backups of their devices are expected",
    Permission::kLook};

inline constexpr Operation<Named, SiteSchedule, SiteSchedule> kChangeSite{
    "PATCH", "/v1/sites/{name}", "change how often backups are expected",
    Permission::kOperate, Home::kHeadquarters};

inline constexpr Operation<Nothing, Nothing, PlatformList> kPlatforms{
    "GET", "/v1/platforms", "list the platforms of the images", Permission::kLook};

inline constexpr Operation<PlatformAsked, Nothing, LineList> kLines{
    "GET", "/v1/lines",
    "list platforms, roles and release lines, with the newest image of each",
    Permission::kLook};

inline constexpr Operation<Nothing, UploadWanted, Upload> kBeginUpload{
    "POST", "/v1/uploads",
    "begin to send an image in pieces, which can resume after a broken connection",
    Permission::kOperate, Home::kHeadquarters};

inline constexpr Operation<Nothing, Nothing, UploadList> kUploads{
    "GET", "/v1/uploads", "list the caller's uploads in pieces", Permission::kOperate};

inline constexpr Operation<UploadAsked, Nothing, Upload> kUpload{
    "GET", "/v1/uploads/{number}", "show the progress of one upload",
    Permission::kOperate};

inline constexpr Operation<UploadAsked, UploadDescription, Upload> kDescribeUpload{
    "PATCH", "/v1/uploads/{number}", "replace the description of an upload",
    Permission::kOperate, Home::kHeadquarters};

inline constexpr Operation<PieceAsked, Bytes, Upload> kSendPiece{
    "PUT", "/v1/uploads/{number}",
    "send the next piece: the body is its bytes, at most 32 MiB", Permission::kOperate,
    Home::kHeadquarters};

inline constexpr Operation<UploadAsked, FilingWanted, ImageAdded> kFileUpload{
    "POST", "/v1/uploads/{number}/filing",
    "everything was sent: compare it, look inside, and add it", Permission::kOperate,
    Home::kHeadquarters};

inline constexpr Operation<UploadAsked, Nothing, Nothing> kDropUpload{
    "DELETE", "/v1/uploads/{number}", "drop an upload; nothing of it is kept",
    Permission::kOperate, Home::kHeadquarters};

inline constexpr Operation<ImageFilter, Nothing, ImageList> kImages{
    "GET", "/v1/images", "list images by platform, role and version", Permission::kLook};

inline constexpr Operation<Named, Nothing, ImageDetail> kImage{
    "GET", "/v1/images/{name}", "show everything about one image, by any of its names",
    Permission::kLook};

inline constexpr Operation<ImageGiven, Bytes, ImageAdded> kAddImage{
    "PUT", "/v1/images/{name}", "add an image: the body is its bytes",
    Permission::kOperate, Home::kHeadquarters};

inline constexpr Operation<Named, FactFields, FactChanges> kEditImage{
    "PATCH", "/v1/images/{name}", "change facts", Permission::kOperate,
    Home::kHeadquarters};

inline constexpr Operation<Named, Nothing, Bytes> kImageContent{
    "GET", "/v1/images/{name}/content", "read its bytes", Permission::kLook};

inline constexpr Operation<Named, WithdrawalGiven, EndedOffers> kWithdrawImage{
    "POST", "/v1/images/{name}/withdrawal", "withdraw an image: end its offers",
    Permission::kOperate, Home::kHeadquarters};

inline constexpr Operation<ReturnAsked, Nothing, ImageReturned> kReturnImage{
    "DELETE", "/v1/images/{name}/withdrawal", "undo the withdrawal", Permission::kOperate,
    Home::kHeadquarters};

inline constexpr Operation<RemoveAsked, Nothing, Nothing> kRemoveImage{
    "DELETE", "/v1/images/{name}",
    "remove an image for good, with its bytes; not while it is on offer or part of a kit",
    Permission::kAdminister, Home::kHeadquarters};

inline constexpr Operation<Named, ExtractWanted, Extracted> kExtractMember{
    "POST", "/v1/images/{name}/extraction",
    "extract a member of an archive, as an image or as a document of one",
    Permission::kOperate, Home::kHeadquarters};

inline constexpr Operation<Named, VouchGiven, Vouched> kVouchImage{
    "POST", "/v1/images/{name}/vouches", "compare it with the maker's checksums",
    Permission::kOperate, Home::kHeadquarters};

inline constexpr Operation<Named, Nothing, Vouched> kRetractVouches{
    "DELETE", "/v1/images/{name}/vouches",
    "undo the comparisons that differ, or else all", Permission::kOperate,
    Home::kHeadquarters};

inline constexpr Operation<DocumentAsked, Bytes, Document> kAttachDocument{
    "PUT", "/v1/images/{name}/documents/{document}",
    "attach release notes: the body is their bytes, at most 32 MiB", Permission::kOperate,
    Home::kHeadquarters};

inline constexpr Operation<DocumentAsked, Nothing, Bytes> kDocument{
    "GET", "/v1/images/{name}/documents/{document}", "read a document's bytes",
    Permission::kLook};

inline constexpr Operation<DocumentAsked, Nothing, Nothing> kDetachDocument{
    "DELETE", "/v1/images/{name}/documents/{document}", "remove a document",
    Permission::kOperate, Home::kHeadquarters};

inline constexpr Operation<Nothing, RecogniseWanted, RecognisedList> kRecogniseAll{
    "POST", "/v1/recognition",
    "list facts that images lack and the recognisers tell; with fill, set them",
    Permission::kOperate, Home::kHeadquarters};

inline constexpr Operation<NameAsked, Nothing, SuggestionList> kSuggestions{
    "GET", "/v1/suggestions", "show the facts that the recognisers read from a name",
    Permission::kLook};

inline constexpr Operation<ChecksumAsked, Nothing, ContentKnown> kContent{
    "GET", "/v1/contents/{checksum}",
    "check whether bytes with this checksum are in the catalogue", Permission::kLook};

inline constexpr Operation<ImagePair, Nothing, ImagesCompared> kCompareImages{
    "GET", "/v1/comparison", "compare two images", Permission::kLook};

inline constexpr Operation<OffersAsked, Nothing, OfferList> kOffers{
    "GET", "/v1/offers", "list the names that devices can fetch", Permission::kLook};

inline constexpr Operation<Nothing, OfferWanted, OfferMade> kAddOffer{
    "POST", "/v1/offers", "offer an image", Permission::kOperate, Home::kHeadquarters};

inline constexpr Operation<Named, Nothing, OfferList> kOfferHistory{
    "GET", "/v1/offers/{name}/history", "list the images of a name, newest first",
    Permission::kLook};

inline constexpr Operation<Named, OfferChanges, OfferMade> kChangeOffer{
    "PATCH", "/v1/offers/{name}", "point the name at another image, or change its limits",
    Permission::kOperate, Home::kHeadquarters};

inline constexpr Operation<OfferAsked, Nothing, Offer> kEndOffer{
    "DELETE", "/v1/offers/{name}", "end an offer", Permission::kOperate,
    Home::kHeadquarters};

inline constexpr Operation<ChecksumsAsked, Nothing, Text> kChecksums{
    "GET", "/v1/checksums", "read a checksum list of all names on offer",
    Permission::kLook};

inline constexpr Operation<Nothing, Nothing, KitList> kKits{
    "GET", "/v1/kits", "list the kits with their parts", Permission::kLook};

inline constexpr Operation<Named, Nothing, Kit> kKit{"GET", "/v1/kits/{name}",
                                                     "show one kit", Permission::kLook};

inline constexpr Operation<Nothing, KitWanted, Kit> kAddKit{
    "POST", "/v1/kits", "add a kit", Permission::kOperate, Home::kHeadquarters};

inline constexpr Operation<Named, KitParts, Kit> kChangeKit{
    "PUT", "/v1/kits/{name}", "replace its parts and remarks", Permission::kOperate,
    Home::kHeadquarters};

inline constexpr Operation<Named, Nothing, Nothing> kRemoveKit{
    "DELETE", "/v1/kits/{name}", "remove a kit; its images stay", Permission::kOperate,
    Home::kHeadquarters};

inline constexpr Operation<Nothing, Nothing, Verification> kVerification{
    "GET", "/v1/verification", "show the progress of verifying", Permission::kLook};

inline constexpr Operation<Nothing, VerifyWanted, Verification> kVerify{
    "POST", "/v1/verification", "begin to verify", Permission::kOperate};

inline constexpr Operation<Nothing, Nothing, UnrecordedList> kUnrecorded{
    "GET", "/v1/unrecorded", "list stored files that have no record", Permission::kLook};

inline constexpr Operation<Named, Nothing, UnrecordedDecision> kKeepUnrecorded{
    "POST", "/v1/unrecorded/{name}",
    "record a file again, as a held image (encrypted: as a backup)",
    Permission::kOperate};

inline constexpr Operation<Named, Nothing, UnrecordedDecision> kRemoveUnrecorded{
    "DELETE", "/v1/unrecorded/{name}", "remove a file for good", Permission::kOperate};

inline constexpr Operation<Nothing, Nothing, NodeList> kNodes{
    "GET", "/v1/nodes", "list the servers that share the database", Permission::kLook};

inline constexpr Operation<Named, Nothing, Nothing> kRemoveNode{
    "DELETE", "/v1/nodes/{name}", "forget a server that is gone for good",
    Permission::kOperate};

inline constexpr Operation<Nothing, Nothing, RouteTable> kRoutes{
    "GET", "/v1/routes", "list all operations", Permission::kLook};

inline constexpr Operation<Nothing, Nothing, Json> kOpenApi{
    "GET", "/v1/openapi.json", "read this table as an OpenAPI 3.1 description",
    Permission::kLook};

// -- Mirrors: at headquarters --

inline constexpr Operation<Nothing, MirrorReport, MirrorNews> kMirrorNews{
    "POST", "/v1/mirror/news",
    "report a mirror's state, and get the changes that it does not have",
    Permission::kMirror};

inline constexpr Operation<ContentPart, Nothing, Bytes> kMirrorContent{
    "GET", "/v1/mirror/contents/{sha256}", "read a part of an image that is on offer",
    Permission::kMirror};

inline constexpr Operation<ContentNamed, Nothing, Bytes> kMirrorChunks{
    "GET", "/v1/mirror/chunks/{sha256}",
    "list the content-defined chunks of an image that is on offer: for each, four bytes "
    "of its size, the least first, and the first 16 bytes of its SHA-256",
    Permission::kMirror};

inline constexpr Operation<Nothing, MirrorRows, MirrorRowsTaken> kMirrorRows{
    "POST", "/v1/mirror/ledger",
    "add rows of a mirror's ledger, up to the first one about a backup that is not here",
    Permission::kMirror};

inline constexpr Operation<MirrorPiece, Bytes, MirrorPieceTaken> kMirrorPiece{
    "PUT", "/v1/mirror/backups/{sha256}",
    "send a part of a backup that a mirror received; the body is its bytes",
    Permission::kMirror};

inline constexpr Operation<Nothing, Nothing, MirrorList> kMirrors{
    "GET", "/v1/mirrors", "list the mirrors of this server", Permission::kLook};

inline constexpr Operation<Named, Nothing, Mirror> kMirror{
    "GET", "/v1/mirrors/{name}", "show one mirror", Permission::kLook};

inline constexpr Operation<Named, Nothing, Mirror> kSyncMirror{
    "POST", "/v1/mirrors/{name}/sync",
    "tell a mirror to fetch what it lacks now, whatever its hours", Permission::kOperate};

// -- Mirrors: at a mirror --

inline constexpr Operation<Nothing, Nothing, MirrorState> kMirrorState{
    "GET", "/v1/mirror", "show what this server mirrors, how old that is and what lacks",
    Permission::kLook};

inline constexpr Operation<Nothing, Nothing, MirrorState> kSyncHere{
    "POST", "/v1/mirror/sync",
    "ask headquarters now, and fetch what lacks, whatever the hours",
    Permission::kOperate};

}  // namespace vantro::api
