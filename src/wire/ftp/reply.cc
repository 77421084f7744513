#include "wire/ftp/reply.h"

#include <fmt/format.h>

#include "base/visible_name.h"

namespace vantro::wire::ftp {
namespace {

// In bytes: a listing's line with the longest name, and the longest sentence.
constexpr std::size_t kLongestText = 1500;

std::string safe(std::string_view text) { return base::printable(text, kLongestText); }

}  // namespace

std::string reply(int code, std::string_view text) {
  return fmt::format("{} {}\r\n", code, safe(text));
}

std::string reply(int code, const std::vector<std::string>& lines) {
  if (lines.size() == 1) return reply(code, lines.front());
  std::string text = fmt::format("{}-{}\r\n", code, safe(lines.front()));
  for (std::size_t i = 1; i + 1 < lines.size(); ++i) {
    text += fmt::format(" {}\r\n", safe(lines[i]));
  }
  return text + reply(code, lines.back());
}

int reply_code(base::Kind kind, Asked asked) {
  const bool upload = asked == Asked::kUpload;
  // Without a default, so that the compiler finds what a new kind forgot.
  switch (kind) {
    case base::Kind::kNotFound:
    case base::Kind::kDenied:
      return 550;
    case base::Kind::kAccountNeeded:
      return upload ? 532 : 530;
    case base::Kind::kExists:
      return 553;
    case base::Kind::kInvalid:
      return upload ? 553 : 550;
    case base::Kind::kTooLarge:
      return 552;
    case base::Kind::kBusy:
      return 450;
    case base::Kind::kFull:
      return 452;
    case base::Kind::kMismatch:
      return 550;
    case base::Kind::kCorrupt:
      return 550;
    case base::Kind::kIo:
      return 451;
  }
  return 451;
}

std::string refusal(const base::Refusal& refusal, Asked asked) {
  return reply(reply_code(refusal.kind, asked), base::in_full(refusal));
}

}  // namespace vantro::wire::ftp
