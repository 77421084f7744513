#include "backup/kind.h"

namespace vantro::backup {

const char* word(FileKind kind) {
  switch (kind) {
    case FileKind::kUnknown:
      return "";
    case FileKind::kConfiguration:
      return "configuration";
    case FileKind::kImage:
      return "image";
    case FileKind::kReport:
      return "report";
    case FileKind::kOther:
      return "other";
  }
  return "";
}

std::optional<FileKind> parse_kind(std::string_view text) {
  for (const auto kind : {FileKind::kUnknown, FileKind::kConfiguration, FileKind::kImage,
                          FileKind::kReport, FileKind::kOther}) {
    if (text == word(kind)) return kind;
  }
  return std::nullopt;
}

}  // namespace vantro::backup
