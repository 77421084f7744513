#include "api/service.h"

namespace vantro::api {

template <>
const Shape& shape_of<AdoptedFile>() {
  using T = AdoptedFile;
  static const Shape shape =
      ShapeOf<T>("AdoptedFile", "a file of a folder that was added")
          .field<&T::file>("file", "its name below the folder")
          .field<&T::what>("what", "the image that it is the same as, or what is wrong")
          .done();
  return shape;
}

template <>
const Shape& shape_of<AdoptReport>() {
  using T = AdoptReport;
  static const Shape shape =
      ShapeOf<T>("AdoptReport", "the result of adding a folder of images")
          .field<&T::folder>("folder", "that was added")
          .field<&T::interrupted>("interrupted", "it was not read to its end")
          .field<&T::added>("added", "new images")
          .field<&T::bytes>("bytes", "of the new images", Unit::kBytes)
          .field<&T::there_already>("there_already", "the same bytes under the same name")
          .field<&T::compared>("compared", "images that a maker's list was compared with")
          .field<&T::lists>("lists", "makers' lists that were found")
          .field<&T::same_bytes>("same_bytes", "new names of images that were known")
          .field<&T::not_offered>("not_offered", "added, but not on offer")
          .field<&T::not_added>("not_added", "and why")
          .done();
  return shape;
}

template <>
const Shape& shape_of<ReloadWanted>() {
  using T = ReloadWanted;
  static const Shape shape =
      ShapeOf<T>("ReloadWanted", "how to read the settings again")
          .field<&T::dry_run>("dry_run", "only report what would change")
          .done();
  return shape;
}

template <>
const Shape& shape_of<SettingChange>() {
  using T = SettingChange;
  static const Shape shape =
      ShapeOf<T>("SettingChange", "a setting that differs")
          .field<&T::name>("name", "of the setting")
          .field<&T::before>("before", "its value in force; empty: it is not set")
          .field<&T::after>("after", "its value in the file; empty: it is not set")
          .done();
  return shape;
}

template <>
const Shape& shape_of<Reloaded>() {
  using T = Reloaded;
  static const Shape shape =
      ShapeOf<T>("Reloaded", "the result of reading the settings again")
          .field<&T::dry_run>("dry_run", "this is only what would change")
          .field<&T::now>("now", "settings that take effect now")
          .field<&T::at_restart>("at_restart",
                                 "settings that take effect when vantrod is restarted")
          .field<&T::certificates>("certificates", "certificates that were replaced")
          .field<&T::failures>("failures", "what failed, and stays as it was")
          .done();
  return shape;
}

template <>
const Shape& shape_of<DrainWanted>() {
  using T = DrainWanted;
  static const Shape shape =
      ShapeOf<T>("DrainWanted", "how long the server refuses new transfers")
          .field<&T::minutes>("minutes", "after so long it accepts new ones again")
          .range(1, 24 * 60)
          .field<&T::reason>("reason", "for the devices that are refused")
          .done();
  return shape;
}

template <>
const Shape& shape_of<DrainWaits>() {
  using T = DrainWaits;
  static const Shape shape =
      ShapeOf<T>("DrainWaits", "a transfer that a drain waits for")
          .field<&T::who>("who", "the device, its address, or a person")
          .field<&T::name>("name", "of the file")
          .field<&T::direction>("direction", "fetch, deposit, push or image-add")
          .field<&T::bytes>("bytes", "transferred so far", Unit::kBytes)
          .field<&T::left>("left", "time left, in words; empty: unknown")
          .done();
  return shape;
}

template <>
const Shape& shape_of<Drain>() {
  using T = Drain;
  static const Shape shape =
      ShapeOf<T>("Drain", "whether new transfers are refused, and what still runs")
          .field<&T::draining>("draining", "new transfers are refused")
          .field<&T::stopping>("stopping", "the server ends when nothing runs any more")
          .field<&T::since>("since", "when it began; empty: it has not", Unit::kTime)
          .field<&T::until>("until", "when it ends", Unit::kTime)
          .field<&T::reason>("reason", "the reason for devices")
          .field<&T::refused>("refused", "requests refused since then")
          .field<&T::idle>("idle", "nothing runs, and no device is between two transfers")
          .field<&T::waits_for>("waits_for", "the running transfers")
          .done();
  return shape;
}

template <>
const Shape& shape_of<Node>() {
  using T = Node;
  static const Shape shape =
      ShapeOf<T>("Node", "one of the servers that share the database")
          .field<&T::name>("name", "its name among the others")
          .field<&T::this_one>("this_one", "it is the one that answers")
          .field<&T::host>("host", "the machine it runs on")
          .field<&T::version>("version", "of its vantrod")
          .field<&T::state>("state",
                            "alive; silent: it has not reported for ten seconds; stopped")
          .choices({"alive", "silent", "stopped"})
          .field<&T::started_at>("started_at", "when it was started", Unit::kTime)
          .field<&T::seen_at>("seen_at", "when it reported last", Unit::kTime)
          .field<&T::works>("works", "the work that it does for all nodes")
          .done();
  return shape;
}

template <>
const Shape& shape_of<NodeList>() {
  using T = NodeList;
  static const Shape shape =
      ShapeOf<T>("NodeList", "the servers that share the database")
          .field<&T::nodes>("nodes", "by name; none: the server has its own database")
          .done();
  return shape;
}

template <>
const Shape& shape_of<SnapshotWanted>() {
  using T = SnapshotWanted;
  static const Shape shape =
      ShapeOf<T>("SnapshotWanted", "where a copy of the state is written")
          .field<&T::path>("path",
                           "folder, or file that ends in .tar, on the server, below "
                           "snapshot.folder")
          .needed()
          .done();
  return shape;
}

template <>
const Shape& shape_of<Snapshot>() {
  using T = Snapshot;
  static const Shape shape =
      ShapeOf<T>("Snapshot", "the last copy of the state, and its progress")
          .field<&T::state>("state", "the current step, or the result")
          .choices({"none", "database", "contents", "complete", "failed"})
          .field<&T::path>("path", "where it is written")
          .field<&T::began_at>("began_at", "when", Unit::kTime)
          .field<&T::by>("by", "who asked for it")
          .field<&T::files>("files", "files in it")
          .field<&T::files_done>("files_done", "finished files")
          .field<&T::bytes>("bytes", "size of all files", Unit::kBytes)
          .field<&T::bytes_done>("bytes_done", "size of finished files", Unit::kBytes)
          .field<&T::linked>("linked", "hard links to the vault")
          .field<&T::kept>("kept", "files from the previous snapshot")
          .field<&T::why>("why", "why it failed")
          .done();
  return shape;
}

template <>
const Shape& shape_of<NoticeReceiver>() {
  using T = NoticeReceiver;
  static const Shape shape =
      ShapeOf<T>("NoticeReceiver", "a receiver of notices")
          .field<&T::name>("name", "as in the settings")
          .field<&T::way>("way", "how it gets them")
          .choices({"webhook", "syslog", "mail"})
          .field<&T::to>("to", "its address")
          .field<&T::events>("events", "the events that it gets")
          .field<&T::waiting>("waiting", "notices in its queue")
          .field<&T::sent>("sent", "notices since the server's start")
          .field<&T::last_sent_at>(
              "last_sent_at", "when the last one was accepted; empty: none", Unit::kTime)
          .field<&T::failure>("failure", "why the last attempt failed; empty: it did not")
          .done();
  return shape;
}

template <>
const Shape& shape_of<NoticeCondition>() {
  using T = NoticeCondition;
  static const Shape shape =
      ShapeOf<T>("NoticeCondition", "an event that was reported and is not over")
          .field<&T::event>("event", "what it is: disk-low, backup-overdue and so on")
          .field<&T::subject>("subject", "the device, the image or the file; or empty")
          .field<&T::since>("since", "when it began", Unit::kTime)
          .field<&T::sentence>("sentence", "in words")
          .done();
  return shape;
}

template <>
const Shape& shape_of<NoticeState>() {
  using T = NoticeState;
  static const Shape shape =
      ShapeOf<T>("NoticeState", "the receivers of notices, and the open events")
          .field<&T::receivers>("receivers", "in the order of the settings")
          .field<&T::standing>("standing", "the oldest first")
          .done();
  return shape;
}

template <>
const Shape& shape_of<NoticeTestWanted>() {
  using T = NoticeTestWanted;
  static const Shape shape =
      ShapeOf<T>("NoticeTestWanted", "the receiver of a test notice")
          .field<&T::receiver>("receiver", "its name; empty: all of them")
          .done();
  return shape;
}

template <>
const Shape& shape_of<NoticeTested>() {
  using T = NoticeTested;
  static const Shape shape =
      ShapeOf<T>("NoticeTested", "whether a receiver accepted the test")
          .field<&T::receiver>("receiver", "its name")
          .field<&T::ok>("ok", "it accepted the test")
          .field<&T::answer>("answer", "its answer, or why it failed")
          .done();
  return shape;
}

template <>
const Shape& shape_of<NoticeTestResult>() {
  using T = NoticeTestResult;
  static const Shape shape = ShapeOf<T>("NoticeTestResult", "the result of the test")
                                 .field<&T::results>("results", "of each receiver")
                                 .done();
  return shape;
}

}  // namespace vantro::api
