#include "fleet/known_hosts.h"

namespace vantro::fleet {

std::string KnownHosts::find(db::Transaction& t, const std::string& where) {
  const auto rows =
      t.query("select fingerprint from known_hosts where address = :a", {where});
  return rows.empty() ? std::string() : rows.front().text(0);
}

void KnownHosts::set(db::Transaction& t, const std::string& where,
                     const std::string& fingerprint, base::WallTime now) {
  t.run("delete from known_hosts where address = :a", {where});
  t.run("insert into known_hosts (address, fingerprint, since) values (:a, :f, :s)",
        {where, fingerprint, now});
}

}  // namespace vantro::fleet
