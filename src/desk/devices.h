// What people change in the inventory. Each change and its ledger row are one
// transaction; it applies to every later request.
#pragma once

#include <string>
#include <vector>

#include "backup/backups.h"
#include "base/outcome.h"
#include "desk/caller.h"
#include "fleet/devices.h"
#include "repository/change.h"
#include "repository/reports.h"
#include "repository/repository.h"
#include "text/report_reader.h"

namespace vantro::desk {

// What an import did, or would do.
struct Imported {
  std::vector<std::string> added, changed, unchanged;  // names
};

// What moved to a device when an address was assigned, or from a removed one.
struct Claimed {
  backup::Holder holder;
  std::vector<backup::Moved> files;
  std::int64_t ledger_rows = 0;  // the address's other history
};

// Names are as typed. Thread-safe; the repository must outlive it.
class Devices {
 public:
  Devices(repository::Repository& repository, Caller caller)
      : repository_(repository), caller_(std::move(caller)) {}

  // Fields by name, as in fleet::set_field() and fleet::enter(); those of the state
  // belong to a stack member if "member" is given.
  base::Outcome<fleet::Device> add(const std::string& name, const fleet::Fields& fields);
  // A field "name" renames it.
  base::Outcome<fleet::Device> change(const std::string& name,
                                      const fleet::Fields& fields);
  // Its backups move to the addresses that they last came from.
  base::Outcome<Claimed> remove(const std::string& name);
  // The device gets the address, and what came from there while it was nobody's. kExists:
  // it belongs to another device.
  base::Outcome<Claimed> claim(const std::string& address, const std::string& name);
  // Facts from a device's listing. `reader`: the patterns. `really` false: nothing is
  // changed. kInvalid: no patterns are known for its platform.
  base::Outcome<repository::ReportRead> read_report(const std::string& name,
                                                    const std::string& text,
                                                    const text::ReportReader& reader,
                                                    bool really);
  // A table (text/csv.h) with a first line that names fields, "name" among them. All of
  // it or nothing; `really` false: only checked.
  base::Outcome<Imported> import(const std::string& csv, bool really);

  // 0: backups of the site's devices are no longer expected. Returns the site's name as
  // it is spelled. kNotFound, with the nearest: no device is there, and nothing was
  // expected.
  base::Outcome<std::string> set_site(const std::string& typed,
                                      std::int64_t backup_every);

 private:
  base::Outcome<std::string> known_site(const std::string& typed) const;
  template <class F>
  auto changing(F work) -> decltype(work(std::declval<db::Transaction&>(),
                                         std::declval<repository::Change&>()));

  repository::Repository& repository_;
  Caller caller_;
};

}  // namespace vantro::desk
