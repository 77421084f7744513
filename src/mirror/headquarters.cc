#include "mirror/headquarters.h"

#include <algorithm>
#include <fmt/format.h>
#include <unistd.h>

#include "base/visible_name.h"
#include "mirror/chunks.h"
#include "repository/change.h"
#include "text/nearest.h"

namespace vantro::mirror {
namespace {

using base::Kind;

// Reports are in memory; the record is for a restart, and for other nodes.
constexpr base::WallTime kWrittenEvery = 5 * base::WallTime{60'000};
constexpr base::WallTime kServedIn = 7 * base::WallTime{86'400'000};
constexpr std::size_t kMostChunkLists = 64;  // of up to 640 KiB for each 2 GiB

const char* const kColumns =
    "name, came_from, wants, version, first_at, seen_at, current_at, held, lacking, "
    "missing, rate, rows_waiting, trouble, sync_at";

Site site_of(const db::Row& row) {
  Site site;
  site.name = row.text(0);
  site.from = row.text(1);
  site.wants = row.text(2);
  site.version = row.text(3);
  site.first_at = row.integer(4);
  site.seen_at = row.integer(5);
  site.current_at = row.integer(6);
  site.current = site.current_at == site.seen_at;
  site.held = static_cast<std::uint64_t>(row.integer(7));
  site.lacking = static_cast<std::uint64_t>(row.integer(8));
  site.missing = static_cast<std::uint64_t>(row.integer(9));
  site.rate = static_cast<double>(row.integer(10));
  site.rows_waiting = static_cast<std::uint64_t>(row.integer(11));
  site.trouble = row.text(12);
  site.sync = row.integer(13) != 0;
  return site;
}

std::int64_t number(std::uint64_t value) { return static_cast<std::int64_t>(value); }

}  // namespace

base::Outcome<std::shared_ptr<const Source>> Headquarters::source() {
  if (source_ && source_->sequence() >= repository_.snapshot()->sequence) return source_;
  auto read = repository_.database->read(
      [](db::Transaction& t) -> base::Outcome<std::shared_ptr<const Source>> {
        return Source::read(t);
      });
  if (!read) return read;
  source_ = *read;
  parts_.clear();
  return source_;
}

base::Outcome<std::shared_ptr<const Headquarters::Part>> Headquarters::part(
    const Wants& wants) {
  const auto all = source();
  if (!all) return base::refuse(all.error());
  auto& known = parts_[wants.text()];
  if (known) return known;
  auto fresh = std::make_shared<Part>();
  fresh->picture = (*all)->part(wants);
  auto outline = outline_of(fresh->picture);
  fresh->tag = tag_of(outline);
  remember(fresh->tag, std::move(outline));
  known = fresh;
  return known;
}

void Headquarters::remember(const std::string& tag, Outline outline) {
  if (remembered(tag)) return;
  remembered_rows_ += outline.size();
  outlines_.push_front({tag, std::make_shared<const Outline>(std::move(outline))});
  // The first is of now.
  while (remembered_rows_ > kMostRemembered && outlines_.size() > 1) {
    remembered_rows_ -= outlines_.back().outline->size();
    outlines_.pop_back();
  }
}

std::shared_ptr<const Outline> Headquarters::remembered(const std::string& tag) {
  const auto found = std::find_if(outlines_.begin(), outlines_.end(),
                                  [&](const Remembered& one) { return one.tag == tag; });
  if (found == outlines_.end()) return nullptr;
  outlines_.splice(outlines_.begin(), outlines_, found);
  return found->outline;
}

base::Outcome<News> Headquarters::answer(const std::string& mirror,
                                         const std::string& from, const Report& report) {
  if (auto sound = check(report.wants); !sound) return base::refuse(sound.error());
  News news;
  std::shared_ptr<const Part> now;
  std::shared_ptr<const Outline> before;
  {
    const base::Lock lock(mutex_);
    const auto wanted = part(report.wants);
    if (!wanted) return base::refuse(wanted.error());
    now = *wanted;
    news.sequence = source_->sequence();
    if (report.tag != now->tag && !report.tag.empty()) before = remembered(report.tag);
  }
  news.tag = now->tag;
  news.at = repository_.clock.wall();
  if (report.tag == now->tag) {
    news.base = report.tag;
  } else {
    if (before) news.base = report.tag;
    auto changes = difference(before ? *before : Outline(), now->picture);
    news.gone = std::move(changes.gone);
    news.fresh.reserve(changes.fresh.size());
    for (auto& [key, one] : changes.fresh) {
      news.fresh.emplace_back(std::move(key), one->record);
    }
  }
  const bool current = report.tag == now->tag && report.lacking == 0;
  const auto sync = note(mirror, from, report, current);
  if (!sync) return base::refuse(sync.error());
  news.sync = *sync;
  return news;
}

base::Outcome<bool> Headquarters::note(const std::string& mirror, const std::string& from,
                                       const Report& report, bool current) {
  const auto now = repository_.clock.wall();
  bool write = false;
  {
    const base::Lock lock(sites_mutex_);
    auto& last = sites_[mirror];
    write = now - last.written_at >= kWrittenEvery || last.report.tag != report.tag ||
            last.report.lacking != report.lacking ||
            last.report.trouble != report.trouble;
    last.report = report;
    last.from = from;
    last.seen_at = now;
    if (write) last.written_at = now;
  }
  return repository_.database->aside(
      [&](db::Transaction& t, base::WallTime /*database_time*/) -> base::Outcome<bool> {
        const auto known =
            t.query("select sync_at from mirrors where name = :n", {mirror});
        const bool sync = !known.empty() && known.front().integer(0) != 0;
        if (known.empty()) {
          t.run(
              "insert into mirrors (name, wants, version, came_from, first_at, seen_at, "
              "current_at, tag, held, lacking, missing, rate, rows_waiting, trouble, "
              "rows_upto, sync_at) values (:n, '', '', '', :f, :s, 0, '', 0, 0, 0, 0, 0, "
              "'', 0, 0)",
              {mirror, now, now});
        }
        if (!write && !sync && !known.empty()) return false;
        t.run(
            "update mirrors set wants = :w, version = :v, came_from = :c, seen_at = :s, "
            "current_at = case when :k = 1 then :u else current_at end, tag = :t, held = "
            ":h, lacking = :l, missing = :m, rate = :r, rows_waiting = :o, "
            "trouble = :x, sync_at = 0 where name = :n",
            {report.wants.text(), report.version, from, now, std::int64_t{current}, now,
             report.tag, number(report.held), number(report.lacking),
             number(report.missing), static_cast<std::int64_t>(report.rate),
             number(report.rows_waiting), report.trouble, mirror});
        return sync;
      });
}

base::Outcome<OpenContent> Headquarters::content(const std::string& sha256) {
  std::uint64_t size = 0;
  {
    const base::Lock lock(mutex_);
    const auto all = source();
    if (!all) return base::refuse(all.error());
    const auto known = (*all)->size_of(sha256);
    if (!known) {
      return base::refuse(Kind::kNotFound,
                          "no image on offer has these bytes; ask for news first");
    }
    size = *known;
  }
  auto file = repository_.folder.open_stored(sha256, size);
  if (!file) return base::refuse(file.error());
  return OpenContent{std::move(*file), size};
}

base::Outcome<std::string> Headquarters::chunks(const std::string& sha256) {
  const auto opened = content(sha256);
  if (!opened) return base::refuse(opened.error());
  // Whoever wants the same list waits for it here, and does not compute it as well.
  const base::Lock lock(chunks_mutex_);
  const auto found = std::find_if(chunks_.begin(), chunks_.end(),
                                  [&](const auto& one) { return one.first == sha256; });
  if (found != chunks_.end()) {
    chunks_.splice(chunks_.begin(), chunks_, found);
    return found->second;
  }
  auto list = chunks_in(opened->file.get(), opened->size);
  if (!list) return base::refuse(list.error());
  chunks_.emplace_front(sha256, packed(*list));
  if (chunks_.size() > kMostChunkLists) chunks_.pop_back();
  return chunks_.front().second;
}

base::Outcome<std::vector<Site>> Headquarters::list() const {
  const auto now = repository_.clock.wall();
  auto sites = repository_.database->read(
      [&](db::Transaction& t) -> base::Outcome<std::vector<Site>> {
        std::vector<Site> all;
        for (const auto& row :
             t.query(fmt::format("select {} from mirrors order by name", kColumns))) {
          all.push_back(site_of(row));
        }
        for (auto& site : all) {
          const auto served = t.query(
              "select count(*), cast(coalesce(sum(bytes), 0) as bigint) from ledger "
              "where via = "
              ":v and via <> '' and at >= :a and event = 'fetch' and outcome = "
              "'complete'",
              {site.name, now - kServedIn});
          site.served = static_cast<std::uint64_t>(served.front().integer(0));
          site.served_bytes = static_cast<std::uint64_t>(served.front().integer(1));
        }
        return all;
      });
  if (!sites) return sites;
  const base::Lock lock(sites_mutex_);
  for (auto& site : *sites) {
    const auto last = sites_.find(site.name);
    if (last == sites_.end() || last->second.seen_at <= site.seen_at) continue;
    const auto& report = last->second.report;
    if (site.current) site.current_at = last->second.seen_at;
    site.seen_at = last->second.seen_at;
    site.from = last->second.from;
    site.held = report.held;
    site.missing = report.missing;
    site.rate = report.rate;
    site.rows_waiting = report.rows_waiting;
  }
  return sites;
}

base::Outcome<Site> Headquarters::find(const std::string& name) const {
  auto all = list();
  if (!all) return base::refuse(all.error());
  std::vector<std::string> names;
  for (auto& one : *all) {
    if (one.name == name) return std::move(one);
    names.push_back(one.name);
  }
  return base::refuse(Kind::kNotFound,
                      fmt::format("unknown mirror '{}'", base::printable(name, 80)),
                      text::nearest(name, names).value_or(""));
}

void Headquarters::forget(db::Transaction& transaction, const std::string& name) {
  transaction.run("delete from mirrors where name = :n", {name});
}

base::Outcome<Site> Headquarters::want_sync(const std::string& name,
                                            const repository::By& by) {
  if (auto known = find(name); !known) return known;
  auto wanted = repository::change(
      repository_, by,
      [&](db::Transaction& t, repository::Change& change) -> base::Outcome<void> {
        t.run("update mirrors set sync_at = :t where name = :n", {change.now(), name});
        change.record(t, "mirror-sync", name, "", "");
        return {};
      });
  if (!wanted) return base::refuse(wanted.error());
  return find(name);
}

}  // namespace vantro::mirror
