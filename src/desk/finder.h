// One question for everything that has a name: images, devices, addresses, checksums.
#pragma once

#include <string>
#include <vector>

#include "base/outcome.h"
#include "repository/repository.h"

namespace vantro::desk {

struct Found {
  enum class Kind { kImage, kDevice, kAddress };
  Kind kind = Kind::kImage;
  std::string name;    // the name to ask for it by
  std::string detail;  // a description, or empty
};

const char* word(Found::Kind kind);

// Everything that holds this text: an image by a part of its names, or by a checksum
// (SHA-256: its first 8 digits are enough); a device by a part of name, address or link
// address; any IP address. At most `most` of each kind. Thread-safe.
base::Outcome<std::vector<Found>> find_anything(const repository::Repository& repository,
                                                const std::string& text,
                                                std::size_t most);

}  // namespace vantro::desk
