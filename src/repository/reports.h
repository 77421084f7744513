// What a device's own listing changes of what is known of it.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "base/outcome.h"
#include "db/database.h"
#include "fleet/state.h"
#include "text/report_reader.h"

namespace vantro::repository {

struct ReportRead {
  std::string device;  // its name
  std::vector<fleet::StateValue> learnt;
  // What does not fit to the inventory, and what was caught and makes no sense.
  std::vector<std::string> doubts;
  std::vector<std::pair<std::size_t, std::string>> not_understood;  // lines
};

// In the caller's transaction. A slot or storage that is not named stays as it was. The
// platform and hardware revision are taken over where the inventory has none; others are
// a doubt. `really` false: nothing is changed. Gives an empty device where there is none
// of that number any more.
ReportRead read_report(db::Transaction& transaction, const text::ReportReader& reader,
                       std::int64_t device, const std::string& text,
                       const fleet::Origin& origin, bool really = true);

}  // namespace vantro::repository
