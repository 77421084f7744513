// How the files that devices send are told apart, which lines do not count in
// comparisons, and what is masked. From the settings; constant after construction.
#pragma once

#include <cstdint>
#include <functional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "backup/kind.h"
#include "base/outcome.h"
#include "text/line_rules.h"
#include "text/name_pattern.h"

namespace vantro::backup {

// What a name says about the file: the first pattern that matches the whole last part.
struct KindPattern {
  std::string pattern;  // RE2, case-insensitive
  FileKind kind = FileKind::kOther;
};

struct TreatmentConfig {
  std::vector<KindPattern> kinds;
  std::vector<text::LineExpression> left_out;  // of comparisons
  std::vector<text::LineExpression> secrets;
  bool usual_secrets = true;  // the usual wording of devices as well
  // Text up to this size is a configuration, in bytes.
  std::uint64_t configuration_up_to = 16 << 20;
};

// The rules for masking the text of devices of one platform.
struct SecretRules {
  text::LineRules own;  // from the settings
  bool usual = false;   // and the usual ones (text/secrets.h)

  bool empty() const { return own.empty() && !usual; }
};

// Shows the lines of one text, in their order, without its secrets. In the place of each
// is "<masked:1f3a>": equal secrets have equal marks, so that a change of one is visible.
// Also masks the lines between "BEGIN" and "END" of keys and certificates (RFC 7468 and
// similar).
class Mask {
 public:
  // `mark` returns about four digits that do not give the secret away.
  using Mark = std::function<std::string(std::string_view secret)>;
  // Without rules nothing is masked.
  Mask(SecretRules rules, Mark mark) : rules_(std::move(rules)), mark_(std::move(mark)) {}

  std::string line(std::string_view text);
  // So far.
  std::size_t masked() const { return masked_; }
  // Lines that still look like secrets.
  std::size_t doubtful() const { return doubtful_; }

 private:
  std::string marked(std::string_view secret);

  SecretRules rules_;
  Mark mark_;
  bool in_key_ = false;
  std::size_t masked_ = 0;
  std::size_t doubtful_ = 0;
};

class Treatment {
 public:
  // kInvalid: a pattern is malformed.
  static base::Outcome<Treatment> make(TreatmentConfig config);
  Treatment() : Treatment(make({}).value()) {}

  FileKind kind_of(const std::string& name, bool is_text, std::uint64_t size) const;
  // What the name alone says; kUnknown if nothing.
  FileKind kind_by_name(const std::string& name) const;
  std::uint64_t configuration_up_to() const { return config_.configuration_up_to; }

  text::LineRules left_out(const std::string& platform) const {
    return left_out_.of(platform);
  }
  SecretRules secrets(const std::string& platform) const {
    return {secrets_.of(platform), config_.usual_secrets};
  }

 private:
  explicit Treatment(TreatmentConfig config) : config_(std::move(config)) {}

  TreatmentConfig config_;
  std::vector<std::pair<text::NamePattern, FileKind>> kinds_;
  text::LineRuleSet left_out_;
  text::LineRuleSet secrets_;
};

// The part of a text that counts, as a value that is equal for equal substance. It begins
// with the rules' identity, so that values made by other rules never compare equal. Empty
// without rules.
std::string substance(std::string_view text, const text::LineRules& left_out);
// Whether these rules made the value.
bool made_by(const std::string& substance, const text::LineRules& left_out);

}  // namespace vantro::backup
