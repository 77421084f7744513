#include "backup/treatment.h"

#include <fmt/format.h>
#include <utility>

#include "base/bytes.h"
#include "base/visible_name.h"
#include "crypto/digests.h"
#include "text/line_diff.h"
#include "text/secrets.h"

namespace vantro::backup {
namespace {

bool begins_a_key(std::string_view line) {
  return line.find("-----BEGIN ") != std::string_view::npos ||
         line.find("---- BEGIN ") != std::string_view::npos;
}

bool ends_a_key(std::string_view line) {
  return line.find("-----END ") != std::string_view::npos ||
         line.find("---- END ") != std::string_view::npos;
}

}  // namespace

std::string Mask::marked(std::string_view secret) {
  ++masked_;
  const auto mark = mark_(secret);
  return mark.empty() ? "<masked>" : fmt::format("<masked:{}>", mark);
}

std::string Mask::line(std::string_view text) {
  if (rules_.empty()) return std::string(text);
  if (in_key_ && ends_a_key(text)) {
    in_key_ = false;
    return std::string(text);
  }
  if (in_key_) {
    const bool blank = text.find_first_not_of(" \t\r") == std::string_view::npos;
    return blank ? std::string(text) : marked(text);
  }
  if (begins_a_key(text)) {
    in_key_ = !ends_a_key(text);
    return in_key_ ? std::string(text) : marked(text);
  }
  auto spans = rules_.own.meant(text);
  if (rules_.usual) {
    const auto usual = text::usual_secrets(text);
    spans.insert(spans.end(), usual.begin(), usual.end());
  }
  auto result = text::replaced(text, text::merged(std::move(spans)),
                               [&](std::string_view secret) { return marked(secret); });
  if (text::looks_like_a_secret(result)) ++doubtful_;
  return result;
}

base::Outcome<Treatment> Treatment::make(TreatmentConfig config) {
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
