#include "api/shapes.h"

namespace vantro::api {

template <>
const Shape& shape_of<Digests>() {
  using T = Digests;
  static const Shape shape =
      ShapeOf<T>("Digests",
                 "checksums of the same bytes, in lower-case hexadecimal; of a large "
                 "file all but SHA-256 are empty until they are computed, "
                 "moments after it arrived")
          .field<&T::md5>("md5", "MD5")
          .field<&T::sha1>("sha1", "SHA-1")
          .field<&T::sha256>("sha256", "SHA-256")
          .field<&T::sha512>("sha512", "SHA-512")
          .done();
  return shape;
}

template <>
const Shape& shape_of<Transfer>() {
  using T = Transfer;
  static const Shape shape =
      ShapeOf<T>("Transfer",
                 "one transfer: a fetch, a deposit, a push or an image that is added")
          .field<&T::id>("id", "unique while the server runs")
          .field<&T::node>("node", "the node it runs on; empty: the one that answers")
          .field<&T::direction>("direction", "its direction")
          .choices({"fetch", "deposit", "image-add", "push"})
          .field<&T::state>("state", "failed: on our side; abandoned: on the device's")
          .choices({"running", "complete", "failed", "abandoned"})
          .field<&T::protocol>("protocol", "the protocol")
          .field<&T::peer>("peer", "its address")
          .field<&T::device>("device",
                             "the owner of the address; empty: not a known device")
          .field<&T::account>("account", "the account of the log-in; empty: none")
          .field<&T::name>("name", "the file's name")
          .field<&T::bytes>("bytes", "transferred so far", Unit::kBytes)
          .field<&T::total>("total", "in all; null: unknown", Unit::kBytes)
          .field<&T::rate>("rate", "recent while it runs, mean when it has ended",
                           Unit::kBytesPerSecond)
          .field<&T::seconds_left>("seconds_left", "at this rate; null: unknown",
                                   Unit::kSeconds)
          .field<&T::resent>("resent", "resent packets")
          .field<&T::unanswered>("unanswered",
                                 "resent packets since the peer's last progress")
          .field<&T::stalled_ms>("stalled_ms",
                                 "how long there was no progress despite resends; null: "
                                 "it moves, or has ended",
                                 Unit::kMilliseconds)
          .field<&T::began_at>("began_at", "when it began", Unit::kTime)
          .field<&T::duration_ms>("duration_ms", "how long it has lasted",
                                  Unit::kMilliseconds)
          .field<&T::why>("why", "the reason for a failure")
          .field<&T::caution>("caution",
                              "the image is for another platform than the device's, or "
                              "not what its job needs")
          .field<&T::job>("job", "target of the device's open job")
          .done();
  return shape;
}

template <>
const Shape& shape_of<TransferList>() {
  using T = TransferList;
  static const Shape shape =
      ShapeOf<T>("TransferList", "transfers")
          .field<&T::transfers>(
              "transfers", "running ones, and those that ended in the last 10 seconds")
          .done();
  return shape;
}

template <>
const Shape& shape_of<LedgerEntry>() {
  using T = LedgerEntry;
  static const Shape shape =
      ShapeOf<T>("LedgerEntry", "one row of the ledger")
          .field<&T::id>("id", "its number")
          .field<&T::at>("at", "when", Unit::kTime)
          .field<&T::event>(
              "event",
              "what happened: fetch, deposit, image-add, offer-change, verify and so on")
          .field<&T::actor>("actor", "the author: an address, a name, or server")
          .field<&T::device>("device",
                             "the owner of the address; empty: not a known device")
          .field<&T::protocol>("protocol", "the protocol")
          .field<&T::heard_on>("heard_on", "listener and network interface; empty: none")
          .field<&T::account>("account", "the account of the log-in; empty: none")
          .field<&T::name>("name", "the name of the object")
          .field<&T::sha256>("sha256", "of the bytes, if there were any")
          .field<&T::bytes>("bytes", "transferred bytes", Unit::kBytes)
          .field<&T::total>("total", "size in all", Unit::kBytes)
          .field<&T::duration_ms>("duration_ms", "how long it lasted",
                                  Unit::kMilliseconds)
          .field<&T::resent>("resent", "resent packets")
          .field<&T::outcome>("outcome", "complete, failed, abandoned, refused or done")
          .field<&T::sentence>("sentence", "the rest, in words")
          .field<&T::from>("from", "a person's address, or this machine")
          .field<&T::request>("request",
                              "the request that caused it, as named in the log; empty: "
                              "none, or an old row")
          .field<&T::mirror>("mirror", "the mirror that it is from; empty: this server")
          .field<&T::hash>("hash", "over this row and the previous row's hash")
          .done();
  return shape;
}

template <>
const Shape& shape_of<LedgerPage>() {
  using T = LedgerPage;
  static const Shape shape = ShapeOf<T>("LedgerPage", "rows of the ledger")
                                 .field<&T::entries>("entries", "the newest first")
                                 .done();
  return shape;
}

template <>
const Shape& shape_of<LedgerAsked>() {
  using T = LedgerAsked;
  static const Shape shape =
      ShapeOf<T>("LedgerAsked", "which rows")
          .field<&T::limit>("limit", "at most so many (50; 10,000 at most)")
          .range(1)
          .field<&T::before>("before", "only those before the row with this number")
          .range(1)
          .field<&T::whose>("whose",
                            "only those of this device, by its name or an address")
          .field<&T::by>("by", "only what this person did")
          .field<&T::from>("from", "only from this time on", Unit::kTime)
          .field<&T::until>("until", "only before this time", Unit::kTime)
          .field<&T::event>("event", "only these events, separated by commas")
          .field<&T::name>("name", "only of this name; * matches anything")
          .field<&T::outcome>("outcome", "only with this outcome")
          .choices({"complete", "failed", "abandoned", "refused", "done"})
          .field<&T::sha256>("sha256", "only about these bytes")
          .field<&T::request>("request", "only of this request, as the log names it")
          .field<&T::mirror>("mirror", "only from this mirror")
          .done();
  return shape;
}

template <>
const Shape& shape_of<LedgerExportAsked>() {
  using T = LedgerExportAsked;
  static const Shape shape =
      ShapeOf<T>("LedgerExportAsked", "which rows, and in which form")
          .field<&T::whose>("whose",
                            "only those of this device, by its name or an address")
          .field<&T::by>("by", "only what this person did")
          .field<&T::from>("from", "only from this time on", Unit::kTime)
          .field<&T::until>("until", "only before this time", Unit::kTime)
          .field<&T::event>("event", "only these events, separated by commas")
          .field<&T::name>("name", "only of this name; * matches anything")
          .field<&T::outcome>("outcome", "only with this outcome")
          .choices({"complete", "failed", "abandoned", "refused", "done"})
          .field<&T::sha256>("sha256", "only about these bytes")
          .field<&T::request>("request", "only of this request, as the log names it")
          .field<&T::mirror>("mirror", "only from this mirror")
          .field<&T::form>("form", "a table for spreadsheets, or an object in each line")
          .choices({"csv", "json-lines"})
          .done();
  return shape;
}

template <>
const Shape& shape_of<LedgerVerifyAsked>() {
  using T = LedgerVerifyAsked;
  static const Shape shape =
      ShapeOf<T>("LedgerVerifyAsked", "the hash that was noted earlier")
          .field<&T::noted>("noted", "'newest' of an earlier answer: ROW:HASH")
          .done();
  return shape;
}

template <>
const Shape& shape_of<LedgerBreak>() {
  using T = LedgerBreak;
  static const Shape shape =
      ShapeOf<T>("LedgerBreak", "a row that is missing or does not fit")
          .field<&T::row>("row", "its number")
          .field<&T::sentence>("sentence", "what is wrong")
          .done();
  return shape;
}

template <>
const Shape& shape_of<LedgerVerified>() {
  using T = LedgerVerified;
  static const Shape shape =
      ShapeOf<T>("LedgerVerified", "whether the ledger is unchanged")
          .field<&T::sound>("sound", "no row is missing or was changed")
          .field<&T::rows>("rows", "checked rows")
          .field<&T::unchained>("unchained", "of them, from before rows were chained")
          .field<&T::breaks>("breaks", "the problems, at most the first 20")
          .field<&T::newest>("newest",
                             "ROW:HASH of the newest row; note it elsewhere, and it "
                             "shows later whether rows were removed from the end")
          .done();
  return shape;
}

template <>
const Shape& shape_of<Change>() {
  using T = Change;
  static const Shape shape =
      ShapeOf<T>("Change", "an object changed that others may have on their screens")
          .field<&T::sequence>("sequence", "changes are numbered in their order")
          .field<&T::at>("at", "when", Unit::kTime)
          .field<&T::kind>("kind",
                           "kind of the object: offer, image, kit, account, device, "
                           "site, backup-offer")
          .field<&T::object>("object", "its name, or its number if names may change")
          .field<&T::by>("by", "who changed it")
          .done();
  return shape;
}

template <>
const Shape& shape_of<LedgerGrown>() {
  using T = LedgerGrown;
  static const Shape shape =
      ShapeOf<T>("LedgerGrown", "the ledger has new rows, of transfers or refusals")
          .field<&T::newest>("newest", "number of the newest row")
          .done();
  return shape;
}

template <>
const Shape& shape_of<ChangesAsked>() {
  using T = ChangesAsked;
  static const Shape shape =
      ShapeOf<T>("ChangesAsked", "which changes")
          .field<&T::after>("after", "only those after this sequence number")
          .range(0)
          .done();
  return shape;
}

template <>
const Shape& shape_of<ChangePage>() {
  using T = ChangePage;
  static const Shape shape =
      ShapeOf<T>("ChangePage", "changes of the last week in their order")
          .field<&T::changes>(
              "changes",
              "at most 1,000; to get the next ones, ask with the last one's sequence")
          .field<&T::more>("more", "there are more after these")
          .done();
  return shape;
}

template <>
const Shape& shape_of<Contact>() {
  using T = Contact;
  static const Shape shape =
      ShapeOf<T>("Contact", "an address that contacted the server, and the last outcome")
          .field<&T::address>("address", "its address")
          .field<&T::last_heard_at>("last_heard_at", "when", Unit::kTime)
          .field<&T::heard_on>("heard_on", "listener and network interface")
          .field<&T::requests>("requests", "since the server's start")
          .field<&T::unanswered>("unanswered", "requests and strays over a limit")
          .field<&T::strays>("strays", "packets that were not requests, or had no answer")
          .field<&T::state>("state", "of the last event, as in a story")
          .field<&T::sentence>("sentence", "the last event in words")
          .field<&T::device>("device", "the owner of the address, or empty")
          .field<&T::job>("job", "target of the device's open job, or empty")
          .field<&T::caution>("caution",
                              "something is doubtful: an image of another platform, say")
          .done();
  return shape;
}

template <>
const Shape& shape_of<ContactList>() {
  using T = ContactList;
  static const Shape shape = ShapeOf<T>("ContactList", "the addresses that were heard")
                                 .field<&T::contacts>("contacts", "the last heard first")
                                 .done();
  return shape;
}

template <>
const Shape& shape_of<ContactsAsked>() {
  using T = ContactsAsked;
  static const Shape shape =
      ShapeOf<T>("ContactsAsked", "how many")
          .field<&T::limit>("limit", "at most so many (100; 1,000 at most)")
          .range(1)
          .done();
  return shape;
}

template <>
const Shape& shape_of<AddressAsked>() {
  using T = AddressAsked;
  static const Shape shape = ShapeOf<T>("AddressAsked", "which address")
                                 .field<&T::address>("address", "an IP address")
                                 .needed()
                                 .done();
  return shape;
}

template <>
const Shape& shape_of<StoryLine>() {
  using T = StoryLine;
  static const Shape shape =
      ShapeOf<T>("StoryLine", "an event of an address")
          .field<&T::at>("at", "when", Unit::kTime)
          .field<&T::state>(
              "state", "heard, refused, running, stalled, complete, failed or abandoned")
          .field<&T::name>("name", "the file's name")
          .field<&T::heard_on>("heard_on", "listener and network interface")
          .field<&T::sentence>("sentence", "the event in words")
          .field<&T::caution>("caution",
                              "something is doubtful: an image of another platform, say")
          .done();
  return shape;
}

template <>
const Shape& shape_of<Story>() {
  using T = Story;
  static const Shape shape =
      ShapeOf<T>("Story", "the story of one address")
          .field<&T::address>("address", "its address")
          .field<&T::device>("device", "its owner, or empty")
          .field<&T::job>("job", "target of the owner's open job, or empty")
          .field<&T::lines>("lines", "the oldest first")
          .done();
  return shape;
}

template <>
const Shape& shape_of<Listener>() {
  using T = Listener;
  static const Shape shape =
      ShapeOf<T>("Listener", "where the server listens")
          .field<&T::protocol>("protocol", "the protocol")
          .field<&T::address>("address", "with its port")
          .field<&T::protects>("protects",
                               "nobody can read content and password on the way")
          .field<&T::fingerprint>("fingerprint",
                                  "SHA-256 of the management certificate, to compare at "
                                  "the first log-in; else empty")
          .done();
  return shape;
}

template <>
const Shape& shape_of<Front>() {
  using T = Front;
  static const Shape shape =
      ShapeOf<T>("Front", "how busy a protocol's server is")
          .field<&T::name>("name", "such as HTTP or Management")
          .field<&T::open>("open", "connections; of TFTP, transfers")
          .field<&T::most>("most", "the limit for connections; null: no limit here")
          .field<&T::turned_away>("turned_away",
                                  "connections over the limit, since the start")
          .field<&T::paused>("paused",
                             "accepts none for a moment: no descriptors or memory")
          .done();
  return shape;
}

template <>
const Shape& shape_of<Opening>() {
  using T = Opening;
  static const Shape shape =
      ShapeOf<T>("Opening", "a line of the rules, in words")
          .field<&T::from>("from", "networks")
          .field<&T::may>("may", "actions: fetch, deposit, read-back, hand-in")
          .field<&T::over>("over", "protocols")
          .field<&T::needs_account>("needs_account", "only for accounts with that right")
          .done();
  return shape;
}

template <>
const Shape& shape_of<HostKey>() {
  using T = HostKey;
  static const Shape shape = ShapeOf<T>("HostKey", "a host key of the SSH server")
                                 .field<&T::type>("type", "such as ssh-ed25519")
                                 .field<&T::fingerprint>("fingerprint", "SHA256:...")
                                 .done();
  return shape;
}

template <>
const Shape& shape_of<OlderAlgorithms>() {
  using T = OlderAlgorithms;
  static const Shape shape =
      ShapeOf<T>("OlderAlgorithms", "older SSH algorithms that are allowed")
          .field<&T::from>("from", "for these networks")
          .field<&T::algorithms>("algorithms", "separated by commas")
          .done();
  return shape;
}

template <>
const Shape& shape_of<OlderSession>() {
  using T = OlderSession;
  static const Shape shape =
      ShapeOf<T>("OlderSession", "a session that used older SSH algorithms")
          .field<&T::at>("at", "when", Unit::kTime)
          .field<&T::address>("address", "of the client")
          .field<&T::account>("account", "of the client")
          .field<&T::algorithms>("algorithms", "the older ones that it used")
          .done();
  return shape;
}

template <>
const Shape& shape_of<Ssh>() {
  using T = Ssh;
  static const Shape shape =
      ShapeOf<T>("Ssh", "the state of SSH")
          .field<&T::host_keys>("host_keys", "empty: SSH is not served")
          .field<&T::older>("older", "allowed older algorithms, with their networks")
          .field<&T::older_sessions>("older_sessions",
                                     "sessions with them since the server's start")
          .field<&T::last_older>("last_older", "the last of them; null: there was none")
          .done();
  return shape;
}

template <>
const Shape& shape_of<Encryption>() {
  using T = Encryption;
  static const Shape shape =
      ShapeOf<T>("Encryption", "the encryption of stored configurations")
          .field<&T::key>(
              "key", "id of today's key; empty: there is none, and nothing is encrypted")
          .field<&T::contents>("contents", "configurations")
          .field<&T::done>("done", "of them, in the right form")
          .field<&T::locked>("locked", "of them, encrypted with unknown keys")
          .field<&T::running>("running", "the others are being encrypted")
          .done();
  return shape;
}

template <>
const Shape& shape_of<Me>() {
  using T = Me;
  static const Shape shape =
      ShapeOf<T>("Me", "who the caller is to the server")
          .field<&T::name>("name", "as in the ledger")
          .field<&T::role>("role", "look, operate, administer or mirror")
          .field<&T::rights>("rights", "secrets and push, separated by commas; or none")
          .field<&T::known_by>("known_by", "token, log-in or socket")
          .field<&T::from>("from", "an address, or this machine")
          .field<&T::until>("until", "when the token or log-in ends; null: never",
                            Unit::kTime)
          .done();
  return shape;
}

template <>
const Shape& shape_of<Status>() {
  using T = Status;
  static const Shape shape =
      ShapeOf<T>("Status", "the state of the server")
          .field<&T::version>("version", "of the server")
          .field<&T::state_folder>("state_folder", "the folder of all stored data")
          .field<&T::started_at>("started_at", "when it started", Unit::kTime)
          .field<&T::uptime_ms>("uptime_ms", "how long it has run", Unit::kMilliseconds)
          .field<&T::listeners>("listeners", "its addresses")
          .field<&T::fronts>("fronts", "how busy each of its servers is")
          .field<&T::images>("images", "in the catalogue")
          .field<&T::offers>("offers", "names that devices can fetch")
          .field<&T::backups>("backups", "revisions")
          .field<&T::running_transfers>("running_transfers", "at this moment")
          .field<&T::disk_free>("disk_free", "free space", Unit::kBytes)
          .field<&T::accounts>("accounts", "without the anonymous one")
          .field<&T::openings>("openings", "the access rules; everything else is closed")
          .field<&T::trouble>("trouble", "sentences; empty: no problem")
          .field<&T::drain>(
              "drain", "that new transfers are refused, and why; empty: they are not")
          .field<&T::ssh>("ssh", "the state of SSH")
          .field<&T::encryption>("encryption", "of stored configurations")
          .field<&T::you>("you", "who the caller is to the server")
          .field<&T::node>("node", "its name among the servers that share the database")
          .field<&T::nodes>("nodes", "how many share it; 0: the server has its own")
          .field<&T::nodes_alive>("nodes_alive", "of them: that report")
          .field<&T::mirror_of>("mirror_of",
                                "headquarters' address; empty: it is not a mirror")
          .done();
  return shape;
}

template <>
const Shape& shape_of<Health>() {
  using T = Health;
  static const Shape shape =
      ShapeOf<T>("Health", "whether it answers").field<&T::ok>("ok", "true").done();
  return shape;
}

template <>
const Shape& shape_of<RouteRow>() {
  using T = RouteRow;
  static const Shape shape = ShapeOf<T>("RouteRow", "one operation")
                                 .field<&T::method>("method", "of HTTP")
                                 .field<&T::path>("path", "with {name} for one segment")
                                 .field<&T::permission>("permission", "who may call it")
                                 .field<&T::summary>("summary", "what it does")
                                 .done();
  return shape;
}

template <>
const Shape& shape_of<RouteTable>() {
  using T = RouteTable;
  static const Shape shape =
      ShapeOf<T>("RouteTable", "everything that can be called")
          .field<&T::routes>("routes", "in the order of the documentation")
          .done();
  return shape;
}

template <>
const Shape& shape_of<Problem>() {
  using T = Problem;
  static const Shape shape =
      ShapeOf<T>("Problem", "a refusal (RFC 9457)")
          .field<&T::type>("type", "urn:vantro:problem: and the kind")
          .field<&T::title>("title", "the kind, in words")
          .field<&T::status>("status", "as in the status line")
          .field<&T::detail>("detail", "the problem, in a sentence")
          .field<&T::kind>("kind",
                           "not-found, denied, exists, invalid, too-large, busy, "
                           "disk-full, checksum-mismatch, corrupt, io or unauthorized")
          .field<&T::nearest>("nearest", "a name that may be meant; empty: none")
          .field<&T::expected>("expected",
                               "for a checksum that differs: the expected one")
          .field<&T::actual>("actual",
                             "for a checksum that differs: that of the received bytes")
          .done();
  return shape;
}

template <>
const Shape& shape_of<Named>() {
  using T = Named;
  static const Shape shape = ShapeOf<T>("Named", "which one")
                                 .field<&T::name>("name", "its name")
                                 .needed()
                                 .done();
  return shape;
}

}  // namespace vantro::api
