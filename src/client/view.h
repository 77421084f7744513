// How to show an answer, as the options of the command line say.
#pragma once

#include <optional>
#include <string>

namespace vantro::client {

struct View {
  enum class Progress { kAuto, kPlain, kNone };

  bool json = false;
  Progress progress = Progress::kAuto;
  // Of lists only.
  bool json_lines = false;
  bool csv = false;
  bool wide = false;
  bool reverse = false;
  std::string columns;          // as typed; empty: the columns that fit
  std::string sort;             // as typed; empty: in the order of the answer
  std::optional<double> every;  // seconds; none: once

  bool for_programs() const { return json || json_lines || csv; }
};

}  // namespace vantro::client
