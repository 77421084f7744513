// The file with the keys that configurations are encrypted with (crypto/sealed_stream.h).
#pragma once

#include <string>

#include "base/outcome.h"
#include "crypto/sealed_stream.h"

namespace vantro::daemon {

// kInvalid: it can't be read, or by others than its owner too, or holds no keys.
base::Outcome<crypto::SealKeys> load_keys(const std::string& file);

// Puts a new key at the file's beginning, or makes the file. On disk when it returns a
// value, which is the key's id; the keys that were in it stay.
base::Outcome<std::string> add_new_key(const std::string& file);

}  // namespace vantro::daemon
