#include "api/backups.h"

namespace vantro::api {

template <>
const Shape& shape_of<Backup>() {
  using T = Backup;
  static const Shape shape =
      ShapeOf<T>("Backup", "one revision of a file that a device sent")
          .field<&T::holder>(
              "holder", "the device's name; or the address, if it belongs to no device")
          .field<&T::device>("device", "whether the holder is a device")
          .field<&T::address>("address", "where it came from")
          .field<&T::name>("name", "the file's name")
          .field<&T::revision>("revision", "its number")
          .field<&T::complete>("complete", "it is complete")
          .field<&T::size>("size", "received bytes", Unit::kBytes)
          .field<&T::announced>(
              "announced", "bytes that the device announced; null: none", Unit::kBytes)
          .field<&T::digests>("digests", "null: it is partial")
          .field<&T::arrived_at>("arrived_at", "when", Unit::kTime)
          .field<&T::protocol>("protocol", "the protocol")
          .field<&T::account>("account", "the account of the log-in; empty: none")
          .field<&T::why>("why",
                          "partial: why it was interrupted; unconfirmed: the reason")
          .field<&T::ending>(
              "ending",
              "how we know that a complete one is whole: empty, unknown-size, cut or "
              "unconfirmed; the last does not count as a good backup")
          .field<&T::kept>("kept", "its bytes are still stored")
          .field<&T::kind>("kind",
                           "configuration, image or other; empty: it was interrupted")
          .field<&T::text>("text", "it is text")
          .field<&T::changed>("changed", "from the one before it, in substance")
          .field<&T::last_seen_at>("last_seen_at", "when these bytes last arrived",
                                   Unit::kTime)
          .field<&T::times_seen>("times_seen", "how often these bytes arrived")
          .field<&T::pinned>("pinned", "kept for ever")
          .field<&T::pinned_why>("pinned_why", "the reason")
          .field<&T::recognised>("recognised",
                                 "how it compares with the catalogue; empty: no relation")
          .field<&T::image>("image",
                            "the image that it is identical to, or has the size of")
          .field<&T::secrets>("secrets",
                              "masked secrets; only if a single one is requested")
          .field<&T::doubtful>("doubtful", "shown lines that look like secrets")
          .field<&T::inside>("inside",
                             "result of the look inside: whole, cut-short, damaged or "
                             "unknown; empty: not looked into")
          .field<&T::finding>("finding",
                              "what the look inside found wrong; empty: nothing")
          .field<&T::caution>(
              "caution",
              "what to know before you rely on it; only if a single one is requested")
          .done();
  return shape;
}

template <>
const Shape& shape_of<BackupPage>() {
  using T = BackupPage;
  static const Shape shape =
      ShapeOf<T>("BackupPage", "revisions by holder, name and number")
          .field<&T::backups>("backups", "2,000 at most")
          .field<&T::next>("next",
                           "the value of after= for the next ones; empty: no more")
          .done();
  return shape;
}

template <>
const Shape& shape_of<BackupsAsked>() {
  using T = BackupsAsked;
  static const Shape shape =
      ShapeOf<T>("BackupsAsked", "which revisions")
          .field<&T::holder>("holder", "only of this device or address")
          .field<&T::name>("name", "only this file")
          .field<&T::after>("after", "next of the previous answer")
          .done();
  return shape;
}

template <>
const Shape& shape_of<RevisionAsked>() {
  using T = RevisionAsked;
  static const Shape shape =
      ShapeOf<T>("RevisionAsked", "which revision")
          .field<&T::holder>("holder", "a device, or an address")
          .needed()
          .field<&T::name>("name", "of the file")
          .needed()
          .field<&T::revision>("revision",
                               "its number; not given: the newest complete one")
          .range(1)
          .done();
  return shape;
}

template <>
const Shape& shape_of<SecretsAsked>() {
  using T = SecretsAsked;
  static const Shape shape =
      ShapeOf<T>("SecretsAsked", "which revision, and whether with its secrets")
          .field<&T::holder>("holder", "a device, or an address")
          .needed()
          .field<&T::name>("name", "of the file")
          .needed()
          .field<&T::revision>("revision",
                               "its number; not given: the newest complete one")
          .range(1)
          .field<&T::secrets>("secrets", "shown needs the right secrets, and is recorded")
          .choices({"masked", "shown"})
          .done();
  return shape;
}

template <>
const Shape& shape_of<BackupFile>() {
  using T = BackupFile;
  static const Shape shape =
      ShapeOf<T>("BackupFile", "all revisions of one name")
          .field<&T::holder>(
              "holder", "the device's name; or the address, if it belongs to no device")
          .field<&T::device>("device", "whether the holder is a device")
          .field<&T::site>("site", "its site")
          .field<&T::name>("name", "the file's name")
          .field<&T::revisions>("revisions", "its revisions")
          .field<&T::revision>("revision",
                               "number of the newest complete one; 0: there is none")
          .field<&T::kind>("kind", "configuration, image or other")
          .field<&T::arrived_at>("arrived_at", "when it arrived", Unit::kTime)
          .field<&T::seen_at>("seen_at", "when these bytes last arrived", Unit::kTime)
          .field<&T::size>("size", "its size", Unit::kBytes)
          .field<&T::usual_size>("usual_size", "the median of earlier ones", Unit::kBytes)
          .field<&T::shrunk>("shrunk", "to less than half of that, or to nothing")
          .field<&T::doubt>("doubt",
                            "that its bytes are truncated, damaged, or not those of the "
                            "image of that name; empty: no doubt")
          .field<&T::changes>("changes", "in the requested days")
          .field<&T::broken_at>("broken_at", "when an upload was last interrupted",
                                Unit::kTime)
          .done();
  return shape;
}

template <>
const Shape& shape_of<Expected>() {
  using T = Expected;
  static const Shape shape =
      ShapeOf<T>("Expected", "a device that backups are expected of")
          .field<&T::device>("device", "its name")
          .field<&T::site>("site", "its site")
          .field<&T::every>("every", "daily, 12h and so on")
          .field<&T::seen_at>("seen_at", "the last one; null: none yet", Unit::kTime)
          .field<&T::since>("since", "when the device was added", Unit::kTime)
          .field<&T::overdue>("overdue", "it is late")
          .done();
  return shape;
}

template <>
const Shape& shape_of<BackupOverview>() {
  using T = BackupOverview;
  static const Shape shape =
      ShapeOf<T>("BackupOverview", "each file, and the devices with expected backups")
          .field<&T::days>("days", "the days in which changes are counted", Unit::kDays)
          .field<&T::files>("files", "by holder and name")
          .field<&T::expected>("expected", "devices that backups are expected of")
          .done();
  return shape;
}

template <>
const Shape& shape_of<OverviewAsked>() {
  using T = OverviewAsked;
  static const Shape shape =
      ShapeOf<T>("OverviewAsked", "how far back")
          .field<&T::days>("days", "the days in which changes are counted", Unit::kDays)
          .range(1, 3650)
          .done();
  return shape;
}

template <>
const Shape& shape_of<Overdue>() {
  using T = Overdue;
  static const Shape shape =
      ShapeOf<T>("Overdue", "devices whose backups are late")
          .field<&T::expected_of>("expected_of", "devices that backups are expected of")
          .field<&T::overdue>("overdue", "late ones")
          .done();
  return shape;
}

template <>
const Shape& shape_of<ComparedSide>() {
  using T = ComparedSide;
  static const Shape shape = ShapeOf<T>("ComparedSide", "one side of a comparison")
                                 .field<&T::title>("title", "its title")
                                 .field<&T::holder>("holder", "the owner")
                                 .field<&T::name>("name", "the file's name")
                                 .field<&T::revision>("revision", "0: a given file")
                                 .field<&T::arrived_at>("arrived_at", "when", Unit::kTime)
                                 .done();
  return shape;
}

template <>
const Shape& shape_of<DiffLine>() {
  using T = DiffLine;
  static const Shape shape =
      ShapeOf<T>("DiffLine", "one line of a comparison")
          .field<&T::sign>("sign", "a blank, - or +")
          .field<&T::before>("before", "line number; 0: not there")
          .field<&T::after>("after", "line number; 0: not there")
          .field<&T::text>("text", "the line, with its secrets masked")
          .done();
  return shape;
}

template <>
const Shape& shape_of<DiffHunk>() {
  using T = DiffHunk;
  static const Shape shape =
      ShapeOf<T>("DiffHunk", "lines around a difference")
          .field<&T::sections>("sections",
                               "the sections of the lines, the outermost first")
          .field<&T::lines>("lines", "in their order")
          .done();
  return shape;
}

template <>
const Shape& shape_of<TextComparison>() {
  using T = TextComparison;
  static const Shape shape =
      ShapeOf<T>("TextComparison", "two texts")
          .field<&T::same_bytes>("same_bytes", "they are the same")
          .field<&T::same>("same", "in substance")
          .field<&T::removed>("removed", "lines")
          .field<&T::added>("added", "lines")
          .field<&T::left_out>("left_out", "lines that do not count")
          .field<&T::masked>("masked", "secrets in lines that are not shown")
          .field<&T::doubtful>("doubtful", "shown lines that look like secrets")
          .field<&T::without_secrets>(
              "without_secrets", "secrets were not compared, as nobody asked for them")
          .field<&T::hunks>("hunks", "the differences")
          .done();
  return shape;
}

template <>
const Shape& shape_of<Compared>() {
  using T = Compared;
  static const Shape shape = ShapeOf<T>("Compared", "two revisions, or one and a text")
                                 .field<&T::before>("before", "one side")
                                 .field<&T::after>("after", "the other")
                                 .field<&T::comparison>("comparison", "of them")
                                 .done();
  return shape;
}

template <>
const Shape& shape_of<CompareAsked>() {
  using T = CompareAsked;
  static const Shape shape =
      ShapeOf<T>("CompareAsked", "which two revisions")
          .field<&T::holder>("holder", "the backup's owner")
          .needed()
          .field<&T::name>("name", "its file name (default: the only configuration)")
          .field<&T::before>("before",
                             "a revision (default: the complete one before the other)")
          .range(1)
          .field<&T::after>("after", "a revision (default: the newest complete one)")
          .range(1)
          .field<&T::other>(
              "other",
              "another device or address, whose newest revision is the other side")
          .field<&T::other_name>("other_name", "and which file of it")
          .field<&T::context>("context", "lines around each difference")
          .range(0, 1000)
          .field<&T::secrets>("secrets", "shown needs the right secrets, and is recorded")
          .choices({"masked", "shown"})
          .done();
  return shape;
}

template <>
const Shape& shape_of<CompareWithAsked>() {
  using T = CompareWithAsked;
  static const Shape shape =
      ShapeOf<T>("CompareWithAsked", "which revision, compared with a given text")
          .field<&T::holder>("holder", "a device, or an address")
          .needed()
          .field<&T::name>("name", "its file name (default: the only configuration)")
          .field<&T::revision>("revision",
                               "its number; not given: the newest complete one")
          .range(1)
          .field<&T::context>("context", "lines around each difference")
          .range(0, 1000)
          .field<&T::secrets>("secrets", "shown needs the right secrets, and is recorded")
          .choices({"masked", "shown"})
          .done();
  return shape;
}

template <>
const Shape& shape_of<TextGiven>() {
  using T = TextGiven;
  static const Shape shape =
      ShapeOf<T>("TextGiven",
                 "a text to compare with; JSON has one encoding, configurations have any")
          .field<&T::title>("title", "its title")
          .field<&T::text>("text", "itself")
          .field<&T::base64>("base64", "itself, in place of text")
          .done();
  return shape;
}

template <>
const Shape& shape_of<FileReport>() {
  using T = FileReport;
  static const Shape shape =
      ShapeOf<T>("FileReport", "what happened to one file in a period")
          .field<&T::what>("what", "the event")
          .choices({"changed", "unchanged", "first", "broke-off"})
          .field<&T::holder>("holder", "the owner")
          .field<&T::name>("name", "its name")
          .field<&T::revisions>("revisions", "that arrived in it")
          .field<&T::before>("before", "a revision")
          .field<&T::after>("after", "a revision")
          .field<&T::arrived_at>("arrived_at", "when the later revision arrived",
                                 Unit::kTime)
          .field<&T::size>("size", "its size", Unit::kBytes)
          .field<&T::why>("why", "why it was interrupted; why nothing was compared")
          .field<&T::comparison>("comparison", "of before and after")
          .done();
  return shape;
}

template <>
const Shape& shape_of<ChangeReport>() {
  using T = ChangeReport;
  static const Shape shape = ShapeOf<T>("ChangeReport", "the changes in a period")
                                 .field<&T::from>("from", "its beginning", Unit::kTime)
                                 .field<&T::to>("to", "its end", Unit::kTime)
                                 .field<&T::files>("files", "files that arrived in it")
                                 .field<&T::overdue>("overdue", "at its end")
                                 .done();
  return shape;
}

template <>
const Shape& shape_of<ReportAsked>() {
  using T = ReportAsked;
  static const Shape shape =
      ShapeOf<T>("ReportAsked", "which period")
          .field<&T::from>("from", "its beginning (default: a day ago)", Unit::kTime)
          .field<&T::to>("to", "its end (default: now)", Unit::kTime)
          .field<&T::context>("context", "lines around each difference")
          .range(0, 1000)
          .field<&T::secrets>("secrets", "shown needs the right secrets, and is recorded")
          .choices({"masked", "shown"})
          .done();
  return shape;
}

template <>
const Shape& shape_of<PinWanted>() {
  using T = PinWanted;
  static const Shape shape =
      ShapeOf<T>("PinWanted", "whether a revision is kept for ever")
          .field<&T::pinned>("pinned", "false: retention applies to it again")
          .field<&T::why>("why", "the reason, for those who find it later")
          .done();
  return shape;
}

template <>
const Shape& shape_of<BackupOffer>() {
  using T = BackupOffer;
  static const Shape shape =
      ShapeOf<T>("BackupOffer", "one revision on offer to one device")
          .field<&T::name>("name", "what the device types")
          .field<&T::to>("to", "a device, or an address")
          .field<&T::holder>("holder", "the owner of the backup")
          .field<&T::file>("file", "the backup's file name")
          .field<&T::revision>("revision", "its revision")
          .field<&T::size>("size", "its size", Unit::kBytes)
          .field<&T::since>("since", "when it was offered", Unit::kTime)
          .field<&T::until>("until", "when it ends", Unit::kTime)
          .field<&T::caution>("caution",
                              "what to know before you rely on it; only when it is made")
          .done();
  return shape;
}

template <>
const Shape& shape_of<BackupOfferWanted>() {
  using T = BackupOfferWanted;
  static const Shape shape =
      ShapeOf<T>("BackupOfferWanted", "how one revision is offered")
          .field<&T::name>("as", "the name that the device types")
          .needed()
          .field<&T::to>("to",
                         "another device, or an address (default: the backup's owner)")
          .field<&T::until>("until", "at most 30 days from now (default: a day)",
                            Unit::kTime)
          .done();
  return shape;
}

template <>
const Shape& shape_of<BackupOfferList>() {
  using T = BackupOfferList;
  static const Shape shape = ShapeOf<T>("BackupOfferList", "revisions that are on offer")
                                 .field<&T::offers>("offers", "each of them")
                                 .done();
  return shape;
}

template <>
const Shape& shape_of<BackupOfferEnded>() {
  using T = BackupOfferEnded;
  static const Shape shape =
      ShapeOf<T>("BackupOfferEnded", "an offer was ended")
          .field<&T::name>("name", "the name that the device typed")
          .field<&T::ended>("ended", "number of offers")
          .done();
  return shape;
}

template <>
const Shape& shape_of<AdoptWanted>() {
  using T = AdoptWanted;
  static const Shape shape =
      ShapeOf<T>("AdoptWanted", "how an image from a device is added to the catalogue")
          .field<&T::name>("name",
                           "the image's name (default: the last part of the file's)")
          .field<&T::hold>("hold", "keep it off offer")
          .field<&T::despite_findings>("despite_findings",
                                       "add it even if it is truncated or damaged inside")
          .field<&T::maker>("maker", "who makes it")
          .field<&T::platform>("platform",
                               "device platforms that it is for, separated by commas")
          .field<&T::hardware>("hardware",
                               "their hardware revisions, separated by commas")
          .field<&T::role>("role", "system, boot, module, recovery or other")
          .field<&T::version>("version", "its version")
          .field<&T::line>("line", "its release line (else from the version)")
          .field<&T::stage>("stage", "new, proven or retiring")
          .field<&T::space>("space", "what it needs on a device, such as \"800 MiB\"")
          .field<&T::remarks>("remarks", "what must be read before it is used")
          .field<&T::source>("source", "where it came from")
          .done();
  return shape;
}

template <>
const Shape& shape_of<ThinWanted>() {
  using T = ThinWanted;
  static const Shape shape =
      ShapeOf<T>("ThinWanted", "whether to remove what retention lets go")
          .field<&T::really>("really", "remove it, for good")
          .field<&T::from>("from", "next of the previous answer")
          .done();
  return shape;
}

template <>
const Shape& shape_of<ThinnedRevision>() {
  using T = ThinnedRevision;
  static const Shape shape =
      ShapeOf<T>("ThinnedRevision", "one revision, and the result of retention")
          .field<&T::revision>("revision", "its number")
          .field<&T::arrived_at>("arrived_at", "when", Unit::kTime)
          .field<&T::size>("size", "its size", Unit::kBytes)
          .field<&T::goes>("goes", "true: it goes; false: it stays")
          .field<&T::why>("why", "the rule")
          .done();
  return shape;
}

template <>
const Shape& shape_of<ThinnedFile>() {
  using T = ThinnedFile;
  static const Shape shape = ShapeOf<T>("ThinnedFile", "the revisions of one file")
                                 .field<&T::holder>("holder", "the owner")
                                 .field<&T::name>("name", "its name")
                                 .field<&T::revisions>("revisions", "the newest first")
                                 .done();
  return shape;
}

template <>
const Shape& shape_of<ThinnedOut>() {
  using T = ThinnedOut;
  static const Shape shape =
      ShapeOf<T>("ThinnedOut", "what thinning removed, or would remove")
          .field<&T::done>("done", "false: nothing was removed")
          .field<&T::revisions>("revisions", "removed ones")
          .field<&T::bytes>("bytes", "freed bytes", Unit::kBytes)
          .field<&T::kept>("kept", "remaining revisions")
          .field<&T::files>("files", "files with removed revisions")
          .field<&T::next>("next",
                           "send it as from for the next portion; 0: that was all")
          .done();
  return shape;
}

}  // namespace vantro::api
