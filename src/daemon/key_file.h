// The file with the keys that configurations are encrypted with (crypto/sealed_stream.h).
#pragma once

#include <string>

#include "base/outcome.h"
#include "crypto/sealed_stream.h"

namespace vantro::daemon {

// kInvalid: it cannot be read, others than its owner can read it too, or it holds no
// keys.
base::Outcome<crypto::SealKeys> load_keys(const std::string& file);

// Adds a new key at the file's beginning, or makes the file. On disk when it returns a
// value, which is the key's id; the other keys stay.
base::Outcome<std::string> add_new_key(const std::string& file);

}  // namespace vantro::daemon
