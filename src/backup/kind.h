// What a file that a device sent is.
#pragma once

#include <optional>
#include <string>
#include <string_view>

namespace vantro::backup {

enum class FileKind {
  kUnknown,        // it was interrupted
  kConfiguration,  // text that the device is set up with
  kImage,          // what it runs
  kReport,         // what it says of itself: versions, slots, what is free
  kOther,          // anything else: a certificate store, a crash dump
};

// "configuration"; "" for what is not known.
const char* word(FileKind kind);
std::optional<FileKind> parse_kind(std::string_view text);

}  // namespace vantro::backup
