// What kind of file a device sent.
#pragma once

#include <optional>
#include <string>
#include <string_view>

namespace vantro::backup {

enum class FileKind {
  kUnknown,        // it was interrupted
  kConfiguration,  // the text that configures the device
  kImage,          // the software that it runs
  kReport,         // its own report: versions, slots, free space
  kOther,          // anything else: a certificate store, a crash dump
};

// "configuration"; "" for what is not known.
const char* word(FileKind kind);
std::optional<FileKind> parse_kind(std::string_view text);

}  // namespace vantro::backup
