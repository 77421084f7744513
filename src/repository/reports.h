// How a device's own listing changes the facts about it.
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
  // Contradictions to the inventory, and matches that make no sense.
  std::vector<std::string> doubts;
  std::vector<std::pair<std::size_t, std::string>> not_understood;  // lines
};

// In the caller's transaction. A slot or storage that is not in the listing stays as it
// was. Sets platform and hardware revision if the inventory has none; other values are a
// contradiction. `really` false: nothing is changed. Returns an empty device if it was
// removed.
ReportRead read_report(db::Transaction& transaction, const text::ReportReader& reader,
                       std::int64_t device, const std::string& text,
                       const fleet::Origin& origin, bool really = true);

}  // namespace vantro::repository
