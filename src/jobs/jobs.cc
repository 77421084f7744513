#include "jobs/jobs.h"

#include <fmt/format.h>
#include <set>
#include <unordered_map>

#include "base/numbers.h"
#include "base/visible_name.h"
#include "text/nearest.h"

namespace vantro::jobs {
namespace {

using base::Kind;
using db::Value;

const std::string kSelect =
    "select j.id, j.device, coalesce(d.name, j.device_name), j.platform, j.purpose, "
    "j.aim, j.from_version, j.slot, j.window_from, j.window_until, j.remark, "
    "j.planned_by, j.planned_at, j.owner, j.rollout, j.batch, j.any_platform, j.state, "
    "j.ended_at, j.ended_by, j.ended_why from jobs j left join devices d on d.id = "
    "j.device ";

Value time_or_null(const std::optional<base::WallTime>& time) {
  if (!time) return nullptr;
  return *time;
}

Window window_of(const db::Row& row, std::size_t from) {
  Window window;
  if (!row.is_null(from)) window.from = row.integer(from);
  if (!row.is_null(from + 1)) window.until = row.integer(from + 1);
  return window;
}

Job job_of(const db::Row& row) {
  Job job;
  job.id = row.integer(0);
  job.device = row.integer(1);
  job.device_name = row.text(2);
  job.platform = row.text(3);
  job.purpose = parse_purpose(row.text(4)).value_or(Purpose::kUpgrade);
  job.aim = row.text(5);
  job.from_version = row.text(6);
  job.slot = row.text(7);
  job.window = window_of(row, 8);
  job.remark = row.text(10);
  job.planned_by = row.text(11);
  job.planned_at = row.integer(12);
  job.owner = row.text(13);
  job.rollout = row.text(14);
  job.batch = row.integer(15);
  job.any_platform = row.integer(16) != 0;
  job.state = parse_job_state(row.text(17)).value_or(JobState::kOpen);
  job.ended_at = row.integer(18);
  job.ended_by = row.text(19);
  job.ended_why = row.text(20);
  return job;
}

JobImage image_of(const db::Row& row, std::size_t from) {
  return {row.integer(from),  row.text(from + 1), row.text(from + 2), row.text(from + 3),
          row.text(from + 4), row.text(from + 5), row.text(from + 6)};
}

JobEvent event_of(const db::Row& row) {
  return {row.integer(0), row.integer(1), row.integer(2), row.text(3),
          row.text(4),    row.integer(5), row.text(6)};
}

std::vector<Job> jobs_where(db::Transaction& t, const std::string& which,
                            const std::vector<Value>& values) {
  std::vector<Job> jobs;
  std::unordered_map<std::int64_t, std::size_t> places;
  for (const auto& row : t.query(kSelect + which, values)) {
    jobs.push_back(job_of(row));
    places.emplace(jobs.back().id, jobs.size() - 1);
  }
  constexpr std::size_t kAskedOneByOne = 20;
  const std::string images =
      "select job, number, name, sha256, role, version, why, offered_as from job_images ";
  const auto take = [&](const db::Row& row) {
    const auto found = places.find(row.integer(0));
    if (found != places.end()) jobs[found->second].images.push_back(image_of(row, 1));
  };
  if (jobs.size() <= kAskedOneByOne) {
    for (const auto& job : jobs) {
      for (const auto& row :
           t.query(images + "where job = :j order by number", {job.id})) {
        take(row);
      }
    }
  } else {
    for (const auto& row : t.query(images + "order by job, number")) take(row);
  }
  return jobs;
}

Rule rule_of(const db::Row& row) {
  auto rule = make_rule({row.text(1), row.text(2), row.text(3), row.text(4), row.text(5),
                         row.text(6), row.text(7)});
  // It was checked on arrival.
  if (!rule) return {};
  rule->id = row.integer(0);
  return std::move(*rule);
}

Rollout rollout_of(const db::Row& row) {
  Rollout one;
  one.id = row.integer(0);
  one.name = row.text(1);
  one.aim = row.text(2);
  one.batch = row.integer(3);
  one.stop_after = row.integer(4);
  one.window = window_of(row, 5);
  one.remark = row.text(7);
  one.planned_by = row.text(8);
  one.planned_at = row.integer(9);
  one.accepted = row.integer(10);
  one.withdrawn = row.integer(11) != 0;
  return one;
}

const std::string kSelectRollout =
    "select id, name, aim, batch, stop_after, window_from, window_until, remark, "
    "planned_by, planned_at, accepted, withdrawn from rollouts ";

void changed(db::Transaction& t, const Job& job) {
  t.changed(kJobChanged, std::to_string(job.device));
}

}  // namespace

JobIndex JobIndex::read(db::Transaction& t) {
  JobIndex index;
  for (auto& job : jobs_where(t, "where j.state = 'open'", {})) {
    const auto device = job.device;
    index.by_device_.set(device, std::make_shared<const Job>(std::move(job)));
  }
  return index;
}

JobIndex JobIndex::after(db::Transaction& t,
                         const std::vector<db::Change>& changes) const {
  std::set<std::int64_t> devices;
  for (const auto& one : changes) {
    if (one.kind != kJobChanged) continue;
    devices.insert(base::parse_number<std::int64_t>(one.object).value_or(0));
  }
  auto next = *this;
  for (const auto device : devices) {
    next.by_device_.erase(device);
    if (auto job = Jobs::open_of(t, device)) {
      next.by_device_.set(device, std::make_shared<const Job>(std::move(*job)));
    }
  }
  return next;
}

const Job* JobIndex::of_device(std::int64_t device) const {
  const auto* found = by_device_.find(device);
  return found == nullptr ? nullptr : found->get();
}

void Jobs::set_rules(db::Transaction& t, const std::vector<Rule>& rules) {
  std::set<std::string> platforms;
  for (const auto& one : rules) platforms.insert(base::folded(one.platform));
  for (const auto& platform : platforms) remove_rules(t, platform);
  for (const auto& one : rules) {
    const auto text = text_of(one);
    t.run(
        "insert into route_rules (id, folded, platform, kind, role, from_versions, "
        "to_versions, needs, source) values (:i, :f, :p, :k, :r, :a, :b, :n, :s)",
        {t.next_number("route_rules"), base::folded(one.platform), text.platform,
         text.rule, text.role, text.from, text.to, text.needs, text.source});
  }
}

void Jobs::remove_rules(db::Transaction& t, const std::string& platform) {
  t.run("delete from route_rules where folded = :f", {base::folded(platform)});
  t.changed(kRulesChanged, base::folded(platform));
}

std::vector<Rule> Jobs::rules(db::Transaction& t, const std::string& platform) {
  std::vector<Rule> rules;
  const std::string select =
      "select id, platform, kind, role, from_versions, to_versions, needs, source from "
      "route_rules ";
  const auto rows = platform.empty() ? t.query(select + "order by folded, id")
                                     : t.query(select + "where folded = :f order by id",
                                               {base::folded(platform)});
  for (const auto& row : rows) rules.push_back(rule_of(row));
  return rules;
}

base::Outcome<std::vector<Rule>> Jobs::rules(const std::string& platform) const {
  using Rules = std::vector<Rule>;
  return database_.read(
      [&](db::Transaction& t) -> base::Outcome<Rules> { return rules(t, platform); });
}

base::Outcome<Job> Jobs::add(db::Transaction& t, Job job) {
  if (const auto known = open_of(t, job.device)) {
    return base::refuse(
        Kind::kExists,
        fmt::format("{} planned '{}' for {} at {}{}; take it over with 'vantro job take "
                    "{}', or end it with 'vantro job end {}'",
                    known->planned_by, known->aim, known->device_name,
                    base::local_time(known->planned_at),
                    known->owner == known->planned_by
                        ? ""
                        : fmt::format(", and {} has it now", known->owner),
                    known->device_name, known->device_name));
  }
  job.id = t.next_number("jobs");
  t.run(
      "insert into jobs (id, device, device_name, platform, purpose, aim, from_version, "
      "slot, window_from, window_until, remark, planned_by, planned_at, owner, rollout, "
      "batch, any_platform, state, ended_at, ended_by, ended_why) values (:a, :b, :c, "
      ":d, "
      ":e, :f, :g, :h, :i, :j, :k, :l, :m, :n, :o, :p, :q, :r, :s, :t, :u)",
      {job.id,
       job.device,
       job.device_name,
       job.platform,
       word(job.purpose),
       job.aim,
       job.from_version,
       job.slot,
       time_or_null(job.window.from),
       time_or_null(job.window.until),
       job.remark,
       job.planned_by,
       job.planned_at,
       job.owner,
       job.rollout,
       job.batch,
       std::int64_t{job.any_platform},
       word(job.state),
       std::int64_t{0},
       "",
       ""});
  for (const auto& one : job.images) {
    t.run(
        "insert into job_images (job, number, name, sha256, role, version, why, "
        "offered_as) values (:j, :n, :a, :s, :r, :v, :w, :o)",
        {job.id, one.number, one.name, one.sha256, one.role, one.version, one.why,
         one.offered_as});
  }
  changed(t, job);
  return job;
}

std::optional<Job> Jobs::open_of(db::Transaction& t, std::int64_t device) {
  auto jobs = jobs_where(t, "where j.device = :d and j.state = 'open'", {device});
  if (jobs.empty()) return std::nullopt;
  return std::move(jobs.front());
}

std::vector<Job> Jobs::select(db::Transaction& t, const JobFilter& filter) {
  std::string which = "where 1 = 1 ";
  std::vector<Value> values;
  if (filter.state) {
    which += "and j.state = :s ";
    values.emplace_back(std::string(word(*filter.state)));
  }
  if (!filter.rollout.empty()) {
    which += "and j.rollout = :r ";
    values.emplace_back(filter.rollout);
  }
  if (filter.device != 0) {
    which += "and j.device = :d ";
    values.emplace_back(filter.device);
  }
  if (!filter.sha256.empty()) {
    which +=
        "and exists (select 1 from job_images g where g.job = j.id and g.sha256 = :x) ";
    values.emplace_back(filter.sha256);
  }
  which += filter.rollout.empty() ? "order by j.planned_at desc, j.id desc limit :m"
                                  : "order by j.batch, j.id limit :m";
  values.emplace_back(static_cast<std::int64_t>(filter.most));
  return jobs_where(t, which, values);
}

void Jobs::set_owner(db::Transaction& t, const Job& job, const std::string& owner) {
  t.run("update jobs set owner = :o where id = :i", {owner, job.id});
  changed(t, job);
}

void Jobs::add_offer(db::Transaction& t, const Job& job, const OwnOffer& offer) {
  t.run("insert into job_offers (job, offer, name) values (:j, :o, :n)",
        {job.id, offer.offer, offer.name});
}

std::vector<Jobs::OwnOffer> Jobs::offers(db::Transaction& t, std::int64_t job) {
  std::vector<OwnOffer> offers;
  for (const auto& row : t.query(
           "select offer, name from job_offers where job = :j order by offer", {job})) {
    offers.push_back({row.integer(0), row.text(1)});
  }
  return offers;
}

void Jobs::end(db::Transaction& t, const Job& job, JobState how, const std::string& by,
               const std::string& why, base::WallTime now) {
  t.run(
      "update jobs set state = :s, ended_at = :a, ended_by = :b, ended_why = :w, "
      "device_name = :n where id = :i",
      {word(how), now, by, why, job.device_name, job.id});
  changed(t, job);
  if (!job.rollout.empty()) t.changed(kRolloutChanged, job.rollout);
}

void Jobs::note(db::Transaction& t, JobEvent event) {
  t.run(
      "insert into job_events (id, job, at, by_whom, what, number, sentence) values (:i, "
      ":j, :a, :b, :w, :n, :s)",
      {t.next_number("job_events"), event.job, event.at, event.by, event.what,
       event.number, event.sentence});
}

std::vector<Job> Jobs::needing(db::Transaction& t, const std::string& sha256) {
  return jobs_where(t,
                    "where j.state = 'open' and exists (select 1 from job_images g where "
                    "g.job = j.id and g.sha256 = :s) order by j.id",
                    {sha256});
}

base::Outcome<std::vector<Job>> Jobs::list(const JobFilter& filter) const {
  using All = std::vector<Job>;
  return database_.read(
      [&](db::Transaction& t) -> base::Outcome<All> { return select(t, filter); });
}

std::vector<JobEvent> Jobs::events(db::Transaction& t, std::int64_t job) {
  std::vector<JobEvent> events;
  for (const auto& row : t.query(
           "select id, job, at, by_whom, what, number, sentence from job_events where "
           "job = :j order by at, id",
           {job})) {
    events.push_back(event_of(row));
  }
  return events;
}

base::Outcome<std::vector<JobEvent>> Jobs::events(std::int64_t job) const {
  using Events = std::vector<JobEvent>;
  return database_.read(
      [&](db::Transaction& t) -> base::Outcome<Events> { return events(t, job); });
}

base::Outcome<std::map<std::int64_t, std::vector<JobEvent>>> Jobs::events_of_open()
    const {
  using ByJob = std::map<std::int64_t, std::vector<JobEvent>>;
  return database_.read([](db::Transaction& t) -> base::Outcome<ByJob> {
    ByJob result;
    for (const auto& row : t.query(
             "select e.id, e.job, e.at, e.by_whom, e.what, e.number, e.sentence from "
             "job_events e join jobs j on j.id = e.job where j.state = 'open' order by "
             "e.at, e.id")) {
      result[row.integer(1)].push_back(event_of(row));
    }
    return result;
  });
}

base::Outcome<Rollout> Jobs::add(db::Transaction& t, Rollout rollout) {
  const auto known = t.query("select name from rollouts where folded = :f",
                             {base::folded(rollout.name)});
  if (!known.empty()) {
    return base::refuse(
        Kind::kExists, fmt::format("rollout '{}' exists already", known.front().text(0)));
  }
  rollout.id = t.next_number("rollouts");
  t.run(
      "insert into rollouts (id, name, folded, aim, batch, stop_after, window_from, "
      "window_until, remark, planned_by, planned_at, accepted, withdrawn) values (:a, "
      ":b, "
      ":c, :d, :e, :f, :g, :h, :i, :j, :k, :l, :m)",
      {rollout.id, rollout.name, base::folded(rollout.name), rollout.aim, rollout.batch,
       rollout.stop_after, time_or_null(rollout.window.from),
       time_or_null(rollout.window.until), rollout.remark, rollout.planned_by,
       rollout.planned_at, rollout.accepted, std::int64_t{rollout.withdrawn}});
  t.changed(kRolloutChanged, rollout.name);
  return rollout;
}

void Jobs::set_state(db::Transaction& t, const Rollout& rollout) {
  t.run("update rollouts set accepted = :a, withdrawn = :w where id = :i",
        {rollout.accepted, std::int64_t{rollout.withdrawn}, rollout.id});
  t.changed(kRolloutChanged, rollout.name);
}

base::Outcome<Rollout> Jobs::rollout(db::Transaction& t, const std::string& name) {
  const auto rows = t.query(kSelectRollout + "where folded = :f", {base::folded(name)});
  if (!rows.empty()) return rollout_of(rows.front());
  std::vector<std::string> names;
  for (const auto& row : t.query("select name from rollouts order by id desc")) {
    names.push_back(row.text(0));
  }
  return base::refuse(
      Kind::kNotFound,
      fmt::format("unknown rollout '{}'; 'vantro rollout list' shows them",
                  base::printable(name, 80)),
      text::nearest(name, names).value_or(""));
}

base::Outcome<Rollout> Jobs::rollout(const std::string& name) const {
  return database_.read([&](db::Transaction& t) { return rollout(t, name); });
}

base::Outcome<std::vector<Rollout>> Jobs::rollouts() const {
  using All = std::vector<Rollout>;
  return database_.read([](db::Transaction& t) -> base::Outcome<All> {
    All all;
    for (const auto& row : t.query(kSelectRollout + "order by id desc")) {
      all.push_back(rollout_of(row));
    }
    return all;
  });
}

}  // namespace vantro::jobs
