#include "api/mirrors.h"

namespace vantro::api {

template <>
const Shape& shape_of<MirrorWants>() {
  using T = MirrorWants;
  static const Shape shape =
      ShapeOf<T>("MirrorWants",
                 "which images a mirror wants; one field that names an image is enough, "
                 "and none at all wants everything on offer")
          .field<&T::platforms>("platforms", "images for these platforms")
          .field<&T::lines>("lines", "release lines, as \"causeway4 7.6\"")
          .field<&T::offers>("offers", "names of offers; '*' stands for anything")
          .field<&T::kits>("kits", "images of these kits")
          .field<&T::jobs>("jobs", "images that open jobs of its sites' devices need")
          .field<&T::sites>("sites", "the sites whose devices it serves; empty: all")
          .done();
  return shape;
}

template <>
const Shape& shape_of<MirrorReport>() {
  using T = MirrorReport;
  static const Shape shape =
      ShapeOf<T>("MirrorReport", "how a mirror is")
          .field<&T::tag>("tag", "of the records that it has; empty: none")
          .field<&T::wants>("wants", "what it wants")
          .field<&T::version>("version", "of its vantrod")
          .field<&T::held>("held", "images that it has")
          .field<&T::lacking>("lacking", "images that it wants and does not have")
          .field<&T::missing>("missing", "bytes of those", Unit::kBytes)
          .field<&T::rate>("rate", "of its last fetches", Unit::kBytesPerSecond)
          .field<&T::rows_waiting>("rows_waiting", "rows of its ledger, not sent yet")
          .field<&T::trouble>("trouble", "a sentence, or empty")
          .done();
  return shape;
}

template <>
const Shape& shape_of<MirrorKey>() {
  using T = MirrorKey;
  static const Shape shape =
      ShapeOf<T>("MirrorKey", "which record")
          .field<&T::table>("table", "its table")
          .field<&T::row>("row", "the values of its key, each ended by a line end")
          .done();
  return shape;
}

template <>
const Shape& shape_of<MirrorRecord>() {
  using T = MirrorRecord;
  static const Shape shape =
      ShapeOf<T>("MirrorRecord", "a record that a mirror is to have")
          .field<&T::table>("table", "its table")
          .field<&T::row>("row", "the values of its key, each ended by a line end")
          .field<&T::columns>("columns", "its values by their names")
          .field<&T::needs>("needs", "SHA-256 of the images that it needs")
          .done();
  return shape;
}

template <>
const Shape& shape_of<MirrorNews>() {
  using T = MirrorNews;
  static const Shape shape =
      ShapeOf<T>("MirrorNews", "the records that a mirror is to have")
          .field<&T::tag>("tag", "of all records after these changes")
          .field<&T::base>("base",
                           "the tag that these are changes to; empty: they are all "
                           "records")
          .field<&T::sequence>("sequence", "of the last row of the change log in them")
          .field<&T::at>("at", "by headquarters' clock", Unit::kTime)
          .field<&T::sync>("sync", "fetch what lacks now, whatever the hours")
          .field<&T::gone>("gone", "records that are no longer there")
          .field<&T::fresh>("fresh", "records that are new or changed")
          .done();
  return shape;
}

template <>
const Shape& shape_of<ContentNamed>() {
  using T = ContentNamed;
  static const Shape shape = ShapeOf<T>("ContentNamed", "which content")
                                 .field<&T::sha256>("sha256", "its SHA-256")
                                 .done();
  return shape;
}

template <>
const Shape& shape_of<ContentPart>() {
  using T = ContentPart;
  static const Shape shape =
      ShapeOf<T>("ContentPart", "which part of a content")
          .field<&T::sha256>("sha256", "the content's SHA-256")
          .field<&T::from>("from", "the first byte of it", Unit::kBytes)
          .field<&T::bytes>("bytes", "how many; all that follow if it is not given",
                            Unit::kBytes)
          .range(1)
          .done();
  return shape;
}

template <>
const Shape& shape_of<MirrorRow>() {
  using T = MirrorRow;
  static const Shape shape =
      ShapeOf<T>("MirrorRow", "a row of a mirror's ledger")
          .field<&T::id>("id", "its number there")
          .needed()
          .field<&T::at>("at", "when it ended", Unit::kTime)
          .needed()
          .field<&T::event>("event", "what happened")
          .needed()
          .field<&T::actor>("actor", "a device's address, a person, or server")
          .field<&T::from>("from", "a person's address, or this machine")
          .field<&T::device>("device", "the device, by its name")
          .field<&T::protocol>("protocol", "over which it was")
          .field<&T::heard_on>("heard_on", "the mirror's listener and interface")
          .field<&T::account>("account", "the device's account")
          .field<&T::name>("name", "of the object")
          .field<&T::sha256>("sha256", "of the bytes; empty: unknown")
          .field<&T::bytes>("bytes", "that moved", Unit::kBytes)
          .field<&T::total>("total", "of so many", Unit::kBytes)
          .field<&T::duration_ms>("duration_ms", "how long it lasted",
                                  Unit::kMilliseconds)
          .field<&T::resent>("resent", "resent packets")
          .field<&T::outcome>("outcome", "complete, failed, abandoned, refused or done")
          .needed()
          .field<&T::sentence>("sentence", "the rest, in words")
          .field<&T::request>("request", "the request that caused it")
          .done();
  return shape;
}

template <>
const Shape& shape_of<MirrorRows>() {
  using T = MirrorRows;
  static const Shape shape = ShapeOf<T>("MirrorRows", "rows of a mirror's ledger")
                                 .field<&T::rows>("rows", "in their order")
                                 .done();
  return shape;
}

template <>
const Shape& shape_of<MirrorRowsTaken>() {
  using T = MirrorRowsTaken;
  static const Shape shape =
      ShapeOf<T>("MirrorRowsTaken", "what headquarters has of a mirror's ledger")
          .field<&T::upto>("upto", "the number of the last row, by the mirror's numbers")
          .field<&T::wants>("wants",
                            "SHA-256 of the backup that the next row is about, which is "
                            "not here; empty: none")
          .field<&T::have>("have", "bytes of it that are here", Unit::kBytes)
          .done();
  return shape;
}

template <>
const Shape& shape_of<MirrorPiece>() {
  using T = MirrorPiece;
  static const Shape shape =
      ShapeOf<T>("MirrorPiece", "which part of a backup is sent")
          .field<&T::sha256>("sha256", "the backup's SHA-256")
          .field<&T::size>("size", "the size of all of it (0)", Unit::kBytes)
          .field<&T::from>("from", "the first byte of it", Unit::kBytes)
          .done();
  return shape;
}

template <>
const Shape& shape_of<MirrorPieceTaken>() {
  using T = MirrorPieceTaken;
  static const Shape shape = ShapeOf<T>("MirrorPieceTaken", "what is here of a backup")
                                 .field<&T::have>("have", "bytes of it", Unit::kBytes)
                                 .done();
  return shape;
}

template <>
const Shape& shape_of<Mirror>() {
  using T = Mirror;
  static const Shape shape =
      ShapeOf<T>("Mirror", "a server at a site that mirrors this one")
          .field<&T::name>("name", "the person that it is here")
          .field<&T::state>("state",
                            "current: it has everything that it wants; behind; silent: "
                            "it has not asked for two minutes")
          .choices({"current", "behind", "silent"})
          .field<&T::from>("from", "the address that it asked from")
          .field<&T::wants>("wants", "what it wants, in words")
          .field<&T::version>("version", "of its vantrod")
          .field<&T::first_at>("first_at", "when it asked first", Unit::kTime)
          .field<&T::seen_at>("seen_at", "when it asked last", Unit::kTime)
          .field<&T::current_at>("current_at", "when it last had everything", Unit::kTime)
          .field<&T::held>("held", "images that it has")
          .field<&T::lacking>("lacking", "images that it wants and does not have")
          .field<&T::missing>("missing", "bytes of those", Unit::kBytes)
          .field<&T::rate>("rate", "of its last fetches", Unit::kBytesPerSecond)
          .field<&T::rows_waiting>("rows_waiting", "rows of its ledger, not sent yet")
          .field<&T::served>("served", "complete fetches of its devices in 7 days")
          .field<&T::served_bytes>("served_bytes", "bytes of those", Unit::kBytes)
          .field<&T::trouble>("trouble", "what it reports; empty: nothing")
          .field<&T::sync>("sync", "it will be told to fetch now")
          .done();
  return shape;
}

template <>
const Shape& shape_of<MirrorList>() {
  using T = MirrorList;
  static const Shape shape = ShapeOf<T>("MirrorList", "the mirrors of this server")
                                 .field<&T::mirrors>("mirrors", "by name")
                                 .done();
  return shape;
}

template <>
const Shape& shape_of<MirrorLack>() {
  using T = MirrorLack;
  static const Shape shape =
      ShapeOf<T>("MirrorLack", "an image that is not here yet")
          .field<&T::name>("name", "its name")
          .field<&T::size>("size", "its size", Unit::kBytes)
          .field<&T::have>("have", "bytes of it that are here", Unit::kBytes)
          .field<&T::why>("why", "why it is wanted")
          .field<&T::seconds_left>("seconds_left", "until it is here", Unit::kSeconds)
          .field<&T::trouble>("trouble", "why it does not come; empty: it does")
          .done();
  return shape;
}

template <>
const Shape& shape_of<MirrorState>() {
  using T = MirrorState;
  static const Shape shape =
      ShapeOf<T>("MirrorState", "this server as a mirror")
          .field<&T::of>("of", "headquarters' address; empty: it is not a mirror")
          .field<&T::wants>("wants", "what it wants, in words")
          .field<&T::as_of>("as_of", "when headquarters last told how things are there",
                            Unit::kTime)
          .field<&T::unreachable>("unreachable",
                                  "why headquarters was not reached; empty: it was")
          .field<&T::in_hours>("in_hours", "images are fetched at this hour")
          .field<&T::hours>("hours", "when images are fetched; empty: at any hour")
          .field<&T::held>("held", "images that are here")
          .field<&T::missing>("missing", "bytes that are not here yet", Unit::kBytes)
          .field<&T::rate>("rate", "of the last fetches", Unit::kBytesPerSecond)
          .field<&T::rows_waiting>("rows_waiting",
                                   "rows of the ledger that headquarters does not have "
                                   "yet")
          .field<&T::trouble>("trouble", "what is wrong; empty: nothing")
          .field<&T::lacking>("lacking", "images that are not here yet, the next first")
          .done();
  return shape;
}

}  // namespace vantro::api
