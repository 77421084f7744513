#include "repository/change_log.h"

namespace vantro::repository {

std::int64_t ChangeLog::last(db::Transaction& t) {
  return t.query("select last from numbers where what = 'change_log'").at(0).integer(0);
}

std::vector<db::Change> ChangeLog::after(db::Transaction& t, std::int64_t sequence,
                                         std::size_t most) {
  std::vector<db::Change> changes;
  for (const auto& row :
       t.query("select sequence, at, kind, object, by_whom from change_log where "
               "sequence > :s order by sequence limit :m",
               {sequence, static_cast<std::int64_t>(most)})) {
    changes.push_back(
        {row.integer(0), row.integer(1), row.text(2), row.text(3), row.text(4)});
  }
  return changes;
}

base::Outcome<std::vector<db::Change>> ChangeLog::after(std::int64_t sequence,
                                                        std::size_t most) const {
  return database_.read(
      [&](db::Transaction& t) -> base::Outcome<std::vector<db::Change>> {
        return after(t, sequence, most);
      });
}

base::Outcome<std::size_t> ChangeLog::sweep(base::WallTime now) {
  return database_.write([&](db::Transaction& t) -> base::Outcome<std::size_t> {
    const auto old = now - kKept;
    const auto count = t.query("select count(*) from change_log where at < :t", {old});
    t.run("delete from change_log where at < :t", {old});
    return static_cast<std::size_t>(count.at(0).integer(0));
  });
}

}  // namespace vantro::repository
