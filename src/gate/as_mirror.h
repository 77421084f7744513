// What the gate asks if this server is a mirror: about names that headquarters offers,
// and whose images are not here yet.
#pragma once

#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "base/address.h"
#include "base/outcome.h"

namespace vantro::gate {

// Thread-safe, and fast enough for every request: none waits for a disk.
struct AsMirror {
  std::string of;  // headquarters' address
  // Why a name that is not on offer here is refused: its image is on its way, or was
  // withdrawn at headquarters. Nothing: headquarters does not offer it to this address.
  std::function<std::optional<base::Refusal>(const std::string& name,
                                             const base::Address& from)>
      awaited;
  // The names that it has an answer for, for the nearest one.
  std::function<std::vector<std::string>(const base::Address& from)> awaited_names;
  // How old the names here are, as a part of a sentence; empty: not worth saying.
  std::function<std::string()> age;
};

}  // namespace vantro::gate
