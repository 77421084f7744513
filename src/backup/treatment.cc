#include "backup/treatment.h"

#include <fmt/format.h>

#include "base/bytes.h"
#include "base/visible_name.h"
#include "crypto/digests.h"
#include "text/line_diff.h"

namespace vantro::backup {
namespace {}  // namespace

const std::vector<text::LineExpression>& usual_secrets() {
  // Everything to the line's end is taken for the secret: what stands between the word
  // and it (a number for the kind of hash, a name) differs too much.
  static const std::vector<text::LineExpression> expressions{
      {"",
       R"((?i)\b(?:password|passwd|passphrase|secret|community|psk|token|credential)s?\b["']?[ \t]*[:=]?[ \t]*(\S.*))"},
      {"",
       R"((?i)\b(?:pre-?shared|private|shared|auth|authentication|priv|privacy|encryption|api|wpa|radius|tacacs)[ _-]?key\b["']?[ \t]*[:=]?[ \t]*(\S.*))"},
      {"", R"((\$[0-9a-zA-Z]{1,10}\$[./0-9A-Za-z$=,+-]{8,}))"},
  };
  return expressions;
}

std::string Mask::line(std::string_view text) {
  if (rules_.empty()) return std::string(text);
  if (in_key_) {
    if (text.find("-----END ") != std::string_view::npos) {
      in_key_ = false;
      return std::string(text);
    }
    if (text.find_first_not_of(" \t") == std::string_view::npos) return std::string(text);
    ++masked_;
    return fmt::format("<masked:{}>", mark_(text));
  }
  if (text.find("-----BEGIN ") != std::string_view::npos &&
      text.find("PRIVATE KEY-----") != std::string_view::npos) {
    in_key_ = true;
    return std::string(text);
  }
  return rules_.replaced(text, [&](std::string_view secret) {
    ++masked_;
    return fmt::format("<masked:{}>", mark_(secret));
  });
}

base::Outcome<Treatment> Treatment::make(TreatmentConfig config) {
  if (config.usual_secrets) {
    config.secrets.insert(config.secrets.end(), usual_secrets().begin(),
                          usual_secrets().end());
  }
  Treatment made(config);
  for (const auto& one : config.kinds) {
    auto pattern = text::NamePattern::make(one.pattern);
    if (!pattern) return base::refuse(pattern.error());
    made.kinds_.emplace_back(std::move(*pattern), one.kind);
  }
  auto left_out = text::LineRuleSet::make(std::move(config.left_out));
  if (!left_out) return base::refuse(left_out.error());
  made.left_out_ = std::move(*left_out);
  auto secrets = text::LineRuleSet::make(std::move(config.secrets));
  if (!secrets) return base::refuse(secrets.error());
  made.secrets_ = std::move(*secrets);
  return made;
}

FileKind Treatment::kind_by_name(const std::string& name) const {
  for (const auto& [pattern, kind] : kinds_) {
    if (pattern.fits(std::string(base::last_part(name)))) return kind;
  }
  return FileKind::kUnknown;
}

FileKind Treatment::kind_of(const std::string& name, bool is_text,
                            std::uint64_t size) const {
  const auto named = kind_by_name(name);
  if (named != FileKind::kUnknown) return named;
  return is_text && size <= config_.configuration_up_to ? FileKind::kConfiguration
                                                        : FileKind::kOther;
}

std::string substance(std::string_view text, const text::LineRules& left_out) {
  if (left_out.empty()) return {};
  crypto::Digester digester;
  for (const auto line : text::lines_of(text)) {
    auto rest = left_out.without(line);
    if (!rest) continue;
    *rest += '\n';
    digester.update(base::as_bytes(*rest));
  }
  return fmt::format("{}:{}", left_out.identity(), digester.finish().sha256);
}

bool made_by(const std::string& substance, const text::LineRules& left_out) {
  if (left_out.empty()) return substance.empty();
  return substance.starts_with(left_out.identity() + ":");
}

}  // namespace vantro::backup
