#include "base/protocol.h"

#include <algorithm>
#include <array>
#include <fmt/format.h>

#include "base/visible_name.h"

namespace vantro::base {
namespace {

constexpr std::array kProtocols{
    Protocol{"tftp", false, false, false, 69, "tftp", ""},
    Protocol{"ftp", true, false, false, 21, "ftp", ""},
    // With AUTH TLS on FTP's own port (RFC 4217): "ftps:" means another form.
    Protocol{"ftps", true, false, true, 21, "ftp",
             "under TLS; tell the client to use it"},
    Protocol{"http", true, false, false, 80, "http", ""},
    Protocol{"https", true, false, true, 443, "https", ""},
    Protocol{"scp", true, true, true, 22, "scp", "always with an account"},
    Protocol{"sftp", true, true, true, 22, "sftp", "always with an account"},
};

}  // namespace

std::span<const Protocol> protocols() { return kProtocols; }

const Protocol* find_protocol(std::string_view name) {
  const auto found = std::find_if(kProtocols.begin(), kProtocols.end(),
                                  [&](const auto& one) { return one.name == name; });
  return found == kProtocols.end() ? nullptr : &*found;
}

std::vector<std::string> spoken_with(std::string_view name) {
  const auto* known = find_protocol(name);
  if (known == nullptr) return {std::string(name)};
  std::vector<std::string> names;
  for (const auto& one : kProtocols) {
    const bool same =
        one.usual_port == known->usual_port && one.protects == known->protects;
    if (same) names.emplace_back(one.name);
  }
  return names;
}

Outcome<std::vector<std::string>> parse_protocols(std::string_view text) {
  std::vector<std::string> result;
  const auto lower = folded(text);
  for (std::size_t at = 0; at < lower.size();) {
    const auto end = std::min(lower.find_first_of(", ", at), lower.size());
    auto word = lower.substr(at, end - at);
    at = end + 1;
    if (word.empty()) continue;
    if (find_protocol(word) == nullptr) {
      std::string names;
      for (const auto& one : kProtocols) {
        names += fmt::format("{}{}", names.empty() ? "" : ", ", one.name);
      }
      return refuse(Kind::kInvalid,
                    fmt::format("'{}' is not a protocol of this server; it has {}",
                                printable(word, 40), names));
    }
    if (std::find(result.begin(), result.end(), word) == result.end()) {
      result.push_back(std::move(word));
    }
  }
  return result;
}

}  // namespace vantro::base
