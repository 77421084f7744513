// What people change in the inventory. Each change and its ledger row are one
// transaction; it holds for every request that comes after it.
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

// What came to a device with a claim, or went from one that was removed.
struct Claimed {
  backup::Holder holder;
  std::vector<backup::Moved> files;
  std::int64_t ledger_rows = 0;  // what else was seen of the address
};

// Names are as typed. Thread-safe; the repository must outlive it.
class Devices {
 public:
  Devices(repository::Repository& repository, Caller caller)
      : repository_(repository), caller_(std::move(caller)) {}

  // Fields by name, as fleet::set_field() and fleet::enter() have them; those of the
  // state are a stack member's where "member" is given.
  base::Outcome<fleet::Device> add(const std::string& name, const fleet::Fields& fields);
  // With a field "name" it is renamed.
  base::Outcome<fleet::Device> change(const std::string& name,
                                      const fleet::Fields& fields);
  // Its backups stand under the addresses that they last came from then.
  base::Outcome<Claimed> remove(const std::string& name);
  // What came from the address, when it was nobody's, is the device's; so is the address.
  // kExists: it is another device's.
  base::Outcome<Claimed> claim(const std::string& address, const std::string& name);
  // What a listing of the device's says of it. `reader`: how it is read. `really` false:
  // nothing is changed. kInvalid: no patterns are known for its platform.
  base::Outcome<repository::ReportRead> read_report(const std::string& name,
                                                    const std::string& text,
                                                    const text::ReportReader& reader,
                                                    bool really);
  // A table (text/csv.h) with a first line that names fields; "name" is one of them. All
  // of it or nothing; `really` false: nothing, but all is checked.
  base::Outcome<Imported> import(const std::string& csv, bool really);

  // 0: nothing is expected of the site's devices any more. Gives the site's name as it is
  // spelled. kNotFound, with the nearest: no device is there, and nothing was expected.
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
