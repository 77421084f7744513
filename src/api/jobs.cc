#include "api/jobs.h"

namespace vantro::api {

template <>
const Shape& shape_of<StateValue>() {
  using T = StateValue;
  static const Shape shape =
      ShapeOf<T>("StateValue", "one fact about a device's software")
          .field<&T::member>("member", "stack member; empty: the whole device")
          .field<&T::field>("field",
                            "the fact: running_version, slots, next_slot, free, ...")
          .field<&T::item>("item", "slot, storage or file; or empty")
          .field<&T::value>("value", "sizes in bytes")
          .field<&T::at>("at", "when it became known", Unit::kTime)
          .field<&T::source>("source", "the person or the listing")
          .done();
  return shape;
}

template <>
const Shape& shape_of<NotUnderstood>() {
  using T = NotUnderstood;
  static const Shape shape =
      ShapeOf<T>("NotUnderstood", "a line of a listing that no pattern matches")
          .field<&T::line>("line", "its number, from 1")
          .field<&T::text>("text", "the line")
          .done();
  return shape;
}

template <>
const Shape& shape_of<ReportGiven>() {
  using T = ReportGiven;
  static const Shape shape =
      ShapeOf<T>("ReportGiven", "a listing of a device")
          .field<&T::text>("text", "the listing")
          .needed()
          .field<&T::really>("really", "false: only report what it says")
          .done();
  return shape;
}

template <>
const Shape& shape_of<ReportRead>() {
  using T = ReportRead;
  static const Shape shape =
      ShapeOf<T>("ReportRead", "the facts in a listing")
          .field<&T::device>("device", "its name")
          .field<&T::done>("done", "false: nothing was changed")
          .field<&T::learnt>("learnt", "new values")
          .field<&T::doubts>(
              "doubts", "contradictions to the inventory, and values that make no sense")
          .field<&T::not_understood>("not_understood", "lines that no pattern matches")
          .done();
  return shape;
}

template <>
const Shape& shape_of<RouteRule>() {
  using T = RouteRule;
  static const Shape shape =
      ShapeOf<T>("RouteRule", "which version may follow which")
          .field<&T::id>("id", "its number")
          .field<&T::platform>("platform", "the platform that it is for")
          .field<&T::rule>("rule",
                           "needs-version, needs-first, through, never or recovery-only")
          .field<&T::role>("role", "the role of the versions")
          .field<&T::from>("from", "the starting versions")
          .field<&T::to>("to", "the target versions")
          .field<&T::needs>("needs", "the requirement")
          .field<&T::source>("source", "the document that says so")
          .field<&T::sentence>("sentence", "the rule in words")
          .done();
  return shape;
}

template <>
const Shape& shape_of<RulesAsked>() {
  using T = RulesAsked;
  static const Shape shape = ShapeOf<T>("RulesAsked", "of which platform")
                                 .field<&T::platform>("platform", "empty: of all")
                                 .done();
  return shape;
}

template <>
const Shape& shape_of<RuleList>() {
  using T = RuleList;
  static const Shape shape = ShapeOf<T>("RuleList", "rules for routes")
                                 .field<&T::rules>("rules", "by platform")
                                 .done();
  return shape;
}

template <>
const Shape& shape_of<RuleGiven>() {
  using T = RuleGiven;
  static const Shape shape =
      ShapeOf<T>("RuleGiven", "one rule, as it is typed")
          .field<&T::platform>("platform", "the platform that it is for")
          .field<&T::rule>("rule",
                           "needs-version, needs-first, through, never or recovery-only")
          .field<&T::role>("role", "the role of the versions; empty: system")
          .field<&T::from>("from", "the starting versions")
          .field<&T::to>("to", "the target versions")
          .field<&T::needs>("needs", "the requirement")
          .field<&T::source>("source", "the document that says so")
          .done();
  return shape;
}

template <>
const Shape& shape_of<RuleTable>() {
  using T = RuleTable;
  static const Shape shape =
      ShapeOf<T>("RuleTable", "many rules at once, as a table or one by one")
          .field<&T::table>("table",
                            "CSV; its first line names the columns: platform, rule, "
                            "role, from, to, needs, source")
          .field<&T::rules>("rules", "in place of a table")
          .field<&T::really>("really", "false: only report what would change")
          .done();
  return shape;
}

template <>
const Shape& shape_of<RulesImported>() {
  using T = RulesImported;
  static const Shape shape =
      ShapeOf<T>("RulesImported", "the result of an import of rules")
          .field<&T::done>("done", "false: this is only what would change")
          .field<&T::platforms>("platforms", "platforms whose rules the table replaces")
          .field<&T::added>("added", "rules in words")
          .field<&T::removed>("removed", "rules in words")
          .field<&T::unchanged>("unchanged", "rules that stay")
          .done();
  return shape;
}

template <>
const Shape& shape_of<RulesRemoved>() {
  using T = RulesRemoved;
  static const Shape shape = ShapeOf<T>("RulesRemoved", "the rules that were removed")
                                 .field<&T::platform>("platform", "whose rules they were")
                                 .field<&T::rules>("rules", "number of rules")
                                 .done();
  return shape;
}

template <>
const Shape& shape_of<RouteAsked>() {
  using T = RouteAsked;
  static const Shape shape =
      ShapeOf<T>("RouteAsked", "two versions")
          .field<&T::platform>("platform", "whose versions are meant")
          .needed()
          .field<&T::from>("from", "the running version")
          .needed()
          .field<&T::to>("to", "the wanted version")
          .needed()
          .done();
  return shape;
}

template <>
const Shape& shape_of<DeviceRouteAsked>() {
  using T = DeviceRouteAsked;
  static const Shape shape = ShapeOf<T>("DeviceRouteAsked", "a device and an image")
                                 .field<&T::name>("name", "of the device")
                                 .needed()
                                 .field<&T::image>("image", "or a kit")
                                 .needed()
                                 .done();
  return shape;
}

template <>
const Shape& shape_of<Companion>() {
  using T = Companion;
  static const Shape shape =
      ShapeOf<T>("Companion", "what must be installed beside a step")
          .field<&T::role>("role", "its role")
          .field<&T::version>("version", "its version")
          .field<&T::image>("image", "its name; empty: the catalogue has none")
          .field<&T::why>("why", "the rule or kit that requires it")
          .done();
  return shape;
}

template <>
const Shape& shape_of<RouteStep>() {
  using T = RouteStep;
  static const Shape shape =
      ShapeOf<T>("RouteStep", "one version of the route")
          .field<&T::role>("role", "its role")
          .field<&T::version>("version", "its version")
          .field<&T::image>("image", "its name; empty: the catalogue has none")
          .field<&T::before>("before", "install these before it")
          .field<&T::behind>("behind", "install these after it")
          .field<&T::demanded_by>("demanded_by", "the rules that require it, in words")
          .done();
  return shape;
}

template <>
const Shape& shape_of<VersionRoute>() {
  using T = VersionRoute;
  static const Shape shape =
      ShapeOf<T>("VersionRoute", "the shortest permitted route")
          .field<&T::result>("result", "found, there, missing, forbidden or unknown")
          .field<&T::sentence>("sentence", "the outcome")
          .field<&T::steps>("steps", "in their order")
          .field<&T::any_rules>("any_rules", "whether there are rules for it")
          .done();
  return shape;
}

template <>
const Shape& shape_of<ReadinessAsked>() {
  using T = ReadinessAsked;
  static const Shape shape =
      ShapeOf<T>("ReadinessAsked", "what to check")
          .field<&T::device>("device", "its name or address")
          .needed()
          .field<&T::image>("image", "or a kit; empty: that of its open job")
          .field<&T::over>("over",
                           "protocols, separated by commas; empty: all that are served")
          .field<&T::account>("account", "the device's account; empty: none")
          .done();
  return shape;
}

template <>
const Shape& shape_of<ReadinessCheck>() {
  using T = ReadinessCheck;
  static const Shape shape =
      ShapeOf<T>("ReadinessCheck", "one check before the point of no return")
          .field<&T::name>("name", "the subject of the check")
          .field<&T::verdict>("verdict", "pass, warn, stop or unknown")
          .field<&T::fact>("fact", "the fact")
          .field<&T::advice>("advice", "what to do; empty: nothing")
          .done();
  return shape;
}

template <>
const Shape& shape_of<Readiness>() {
  using T = Readiness;
  static const Shape shape =
      ShapeOf<T>("Readiness", "whether a device is ready")
          .field<&T::device>("device", "its name")
          .field<&T::aim>("aim", "the image or kit")
          .field<&T::verdict>("verdict", "the worst of the checks")
          .field<&T::sentence>("sentence", "ready, or what stops it")
          .field<&T::for_the_job>("for_the_job",
                                  "the check is for the open job, which remembers it")
          .field<&T::checks>("checks", "in the order in which to look")
          .done();
  return shape;
}

template <>
const Shape& shape_of<JobsAsked>() {
  using T = JobsAsked;
  static const Shape shape =
      ShapeOf<T>("JobsAsked", "which jobs")
          .field<&T::state>("state", "open, confirmed, failed or withdrawn; empty: all")
          .field<&T::rollout>("rollout", "empty: all")
          .field<&T::image>("image", "only those that install it; empty: all")
          .done();
  return shape;
}

template <>
const Shape& shape_of<JobImage>() {
  using T = JobImage;
  static const Shape shape =
      ShapeOf<T>("JobImage", "an image of a job")
          .field<&T::number>("number", "from 1, in the order of installation")
          .field<&T::image>("image", "its name")
          .field<&T::role>("role", "its role")
          .field<&T::version>("version", "its version")
          .field<&T::why>("why", "the rule or kit that requires it; empty: it is the aim")
          .field<&T::offered_as>("offered_as", "the name of the job's own offer")
          .field<&T::stage>(
              "stage", "to fetch, being fetched, sent, written, starts next, running")
          .field<&T::since>("since", "when that began", Unit::kTime)
          .field<&T::fetches>("fetches", "complete ones")
          .field<&T::passed>("passed", "a later one of the same role runs")
          .done();
  return shape;
}

template <>
const Shape& shape_of<JobLine>() {
  using T = JobLine;
  static const Shape shape = ShapeOf<T>("JobLine", "an event of a job")
                                 .field<&T::at>("at", "when", Unit::kTime)
                                 .field<&T::by>("by", "a person, device, or server")
                                 .field<&T::sentence>("sentence", "the event")
                                 .field<&T::bad>("bad", "it failed or was refused")
                                 .done();
  return shape;
}

template <>
const Shape& shape_of<Job>() {
  using T = Job;
  static const Shape shape =
      ShapeOf<T>("Job", "a planned change of one device")
          .field<&T::device>("device", "its name")
          .field<&T::platform>("platform", "its platform")
          .field<&T::purpose>("purpose", "upgrade, downgrade, convert or recover")
          .field<&T::aim>("aim", "the image or kit")
          .field<&T::from_version>("from_version",
                                   "the running version at the time of planning")
          .field<&T::images>("images", "in the order of installation")
          .field<&T::slot>("slot", "the slot to write")
          .field<&T::window_from>("window_from", "when work may begin; empty: now",
                                  Unit::kTime)
          .field<&T::window_until>("window_until", "when it must be over; empty: open",
                                   Unit::kTime)
          .field<&T::remark>("remark", "the remark")
          .field<&T::planned_by>("planned_by", "who planned it")
          .field<&T::planned_at>("planned_at", "when", Unit::kTime)
          .field<&T::owner>("owner", "the current owner")
          .field<&T::rollout>("rollout", "its rollout, or empty")
          .field<&T::batch>("batch", "its batch in the rollout")
          .field<&T::any_platform>("any_platform",
                                   "images of other platforms are allowed")
          .field<&T::state>("state", "open, confirmed, failed or withdrawn")
          .field<&T::stage>("stage", "in large plain words")
          .field<&T::at_hand>("at_hand", "number of the current image; 0: all run")
          .field<&T::waits_for>("waits_for", "what it waits for")
          .field<&T::since>("since", "since when", Unit::kTime)
          .field<&T::caution>("caution", "what must not be done now")
          .field<&T::path_proven>("path_proven", "within the last two hours")
          .field<&T::lines>("lines",
                            "in the order of time; only if a single one is requested")
          .done();
  return shape;
}

template <>
const Shape& shape_of<JobList>() {
  using T = JobList;
  static const Shape shape =
      ShapeOf<T>("JobList", "jobs")
          .field<&T::jobs>("jobs",
                           "the newest first, at most 1,000; of a rollout: by batch")
          .field<&T::more>("more", "there are more: ask for a rollout or a state")
          .done();
  return shape;
}

template <>
const Shape& shape_of<DeviceNamed>() {
  using T = DeviceNamed;
  static const Shape shape = ShapeOf<T>("DeviceNamed", "which device")
                                 .field<&T::device>("device", "its name or address")
                                 .needed()
                                 .done();
  return shape;
}

template <>
const Shape& shape_of<JobWanted>() {
  using T = JobWanted;
  static const Shape shape =
      ShapeOf<T>("JobWanted", "the plan")
          .field<&T::device>("device", "its name or address")
          .needed()
          .field<&T::image>("image", "or a kit")
          .needed()
          .field<&T::purpose>(
              "purpose", "upgrade, downgrade, convert or recover; empty: by the versions")
          .field<&T::slot>("slot", "the slot to write")
          .field<&T::window_from>("window_from", "when work may begin")
          .field<&T::window_until>("window_until", "when it must be over")
          .field<&T::remark>("remark", "the remark")
          .field<&T::offer_as>(
              "offer_as",
              "the name that the boot loader requires: an offer to this device only")
          .field<&T::any_platform>("any_platform", "allow an image of another platform")
          .done();
  return shape;
}

template <>
const Shape& shape_of<JobMarkWanted>() {
  using T = JobMarkWanted;
  static const Shape shape =
      ShapeOf<T>("JobMarkWanted", "an engineer's report")
          .field<&T::mark>("mark", "written, next, running, confirmed or failed")
          .needed()
          .choices({"written", "next", "running", "confirmed", "failed"})
          .field<&T::remark>("remark", "the remark")
          .done();
  return shape;
}

template <>
const Shape& shape_of<JobEnd>() {
  using T = JobEnd;
  static const Shape shape = ShapeOf<T>("JobEnd", "why a job is withdrawn")
                                 .field<&T::device>("device", "its name or address")
                                 .needed()
                                 .field<&T::reason>("reason", "the remark")
                                 .done();
  return shape;
}

template <>
const Shape& shape_of<SheetAsked>() {
  using T = SheetAsked;
  static const Shape shape =
      ShapeOf<T>("SheetAsked", "which sheet")
          .field<&T::device>("device", "its name or address")
          .needed()
          .field<&T::form>("form", "running, boot-prompt or maintenance")
          .field<&T::over>("over",
                           "a protocol; empty: the first that is open to the device")
          .field<&T::account>("account", "as the device logs in")
          .done();
  return shape;
}

template <>
const Shape& shape_of<SheetValue>() {
  using T = SheetValue;
  static const Shape shape =
      ShapeOf<T>("SheetValue", "a value to type")
          .field<&T::name>("name", "what it is")
          .field<&T::value>("value", "exactly what is typed")
          .field<&T::note>("note", "characters that are easy to confuse")
          .done();
  return shape;
}

template <>
const Shape& shape_of<Sheet>() {
  using T = Sheet;
  static const Shape shape =
      ShapeOf<T>("Sheet", "the values to type")
          .field<&T::values>("values", "in the order in which the device asks")
          .field<&T::text>("text", "the sheet as plain text")
          .field<&T::html>("html", "the sheet as a page")
          .done();
  return shape;
}

template <>
const Shape& shape_of<RolloutWanted>() {
  using T = RolloutWanted;
  static const Shape shape =
      ShapeOf<T>("RolloutWanted", "a change of many devices")
          .field<&T::name>("name", "its name")
          .needed()
          .field<&T::devices>("devices",
                              "\"site=Heron,platform=lattice24\", or names of devices")
          .needed()
          .field<&T::image>("image", "or a kit")
          .needed()
          .field<&T::purpose>("purpose", "as for a job")
          .field<&T::slot>("slot", "the slot to write")
          .field<&T::window_from>("window_from", "when work may begin")
          .field<&T::window_until>("window_until", "when it must be over")
          .field<&T::remark>("remark", "the remark")
          .field<&T::any_platform>("any_platform", "allow an image of another platform")
          .field<&T::batch>("batch", "devices in each batch")
          .range(1, 100000)
          .field<&T::stop_after>("stop_after", "failures that stop it")
          .range(1, 100000)
          .field<&T::really>("really", "false: only report what would be planned")
          .done();
  return shape;
}

template <>
const Shape& shape_of<RolloutRow>() {
  using T = RolloutRow;
  static const Shape shape =
      ShapeOf<T>("RolloutRow", "one device of a rollout")
          .field<&T::device>("device", "its name")
          .field<&T::site>("site", "its site")
          .field<&T::batch>("batch", "number of its batch")
          .field<&T::state>("state", "of its job")
          .field<&T::stage>("stage", "in plain words")
          .field<&T::waits_for>("waits_for", "what it waits for")
          .field<&T::since>("since", "since when", Unit::kTime)
          .field<&T::owner>("owner", "the owner of its job")
          .field<&T::ended_why>("ended_why", "the remark at its end")
          .done();
  return shape;
}

template <>
const Shape& shape_of<Rollout>() {
  using T = Rollout;
  static const Shape shape =
      ShapeOf<T>("Rollout", "a change of many devices")
          .field<&T::name>("name", "its name")
          .field<&T::aim>("aim", "the image or kit")
          .field<&T::state>("state", "running, stopped, done or withdrawn")
          .field<&T::sentence>("sentence", "its progress")
          .field<&T::batch>("batch", "devices in each batch")
          .field<&T::stop_after>("stop_after", "failures that stop it")
          .field<&T::open_batch>("open_batch", "number of the open one; 0: none")
          .field<&T::batches>("batches", "number of batches")
          .field<&T::open>("open", "open jobs")
          .field<&T::confirmed>("confirmed", "confirmed jobs")
          .field<&T::failed>("failed", "failed jobs")
          .field<&T::withdrawn>("withdrawn", "withdrawn jobs")
          .field<&T::remark>("remark", "the remark")
          .field<&T::planned_by>("planned_by", "who planned it")
          .field<&T::planned_at>("planned_at", "when", Unit::kTime)
          .field<&T::rows>("rows", "by batch; only if a single one is requested")
          .field<&T::left_out>("left_out", "devices that could not be planned, and why")
          .field<&T::done>("done", "false: this is only what would be planned")
          .done();
  return shape;
}

template <>
const Shape& shape_of<RolloutList>() {
  using T = RolloutList;
  static const Shape shape = ShapeOf<T>("RolloutList", "rollouts")
                                 .field<&T::rollouts>("rollouts", "the newest first")
                                 .done();
  return shape;
}

template <>
const Shape& shape_of<DeviceReadiness>() {
  using T = DeviceReadiness;
  static const Shape shape =
      ShapeOf<T>("DeviceReadiness", "whether one device of a rollout is ready")
          .field<&T::device>("device", "its name")
          .field<&T::batch>("batch", "number of its batch")
          .field<&T::verdict>("verdict",
                              "the worst of its checks: pass, warn, stop or unknown")
          .field<&T::sentence>("sentence", "ready, or what stops it")
          .done();
  return shape;
}

template <>
const Shape& shape_of<RolloutReadiness>() {
  using T = RolloutReadiness;
  static const Shape shape =
      ShapeOf<T>("RolloutReadiness", "whether the devices of a rollout are ready")
          .field<&T::name>("name", "of the rollout")
          .field<&T::ready>("ready", "devices that nothing stops")
          .field<&T::stopped>("stopped", "devices that something stops")
          .field<&T::devices>("devices", "of its open jobs, by batch")
          .done();
  return shape;
}

template <>
const Shape& shape_of<RolloutRemark>() {
  using T = RolloutRemark;
  static const Shape shape = ShapeOf<T>("RolloutRemark", "a remark on a rollout")
                                 .field<&T::remark>("remark", "the remark")
                                 .done();
  return shape;
}

template <>
const Shape& shape_of<RolloutEnd>() {
  using T = RolloutEnd;
  static const Shape shape = ShapeOf<T>("RolloutEnd", "why a rollout is withdrawn")
                                 .field<&T::name>("name", "its name")
                                 .needed()
                                 .field<&T::reason>("reason", "the remark")
                                 .done();
  return shape;
}

template <>
const Shape& shape_of<CanaryWay>() {
  using T = CanaryWay;
  static const Shape shape =
      ShapeOf<T>("CanaryWay", "where the canary can be fetched")
          .field<&T::protocol>("protocol", "the protocol")
          .field<&T::server>("server", "an address of this server")
          .field<&T::port>("port", "its port")
          .field<&T::text>("text", "the address of hello")
          .field<&T::needs_account>("needs_account", "every fetch needs an account")
          .done();
  return shape;
}

template <>
const Shape& shape_of<CanaryWays>() {
  using T = CanaryWays;
  static const Shape shape = ShapeOf<T>("CanaryWays", "the ways to the canary")
                                 .field<&T::ways>("ways", "by listener and address")
                                 .done();
  return shape;
}

}  // namespace vantro::api
