// How what devices send is told apart, what does not count of it when it is compared, and
// what must not be shown of it. From the settings; constant after construction.
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

// What a name says of the file: the first pattern that fits the whole of its last part.
struct KindPattern {
  std::string pattern;  // RE2, letter case aside
  FileKind kind = FileKind::kOther;
};

struct TreatmentConfig {
  std::vector<KindPattern> kinds;
  std::vector<text::LineExpression> left_out;  // of comparisons
  std::vector<text::LineExpression> secrets;
  bool usual_secrets = true;  // what devices usually write, as well
  // Text up to this size is a configuration, in bytes.
  std::uint64_t configuration_up_to = 16 << 20;
};

// What is masked for devices of one platform.
struct SecretRules {
  text::LineRules own;  // as the settings have them
  bool usual = false;   // and what devices usually write (text/secrets.h)

  bool empty() const { return own.empty() && !usual; }
};

// Shows the lines of one text, in their order, without its secrets. In the place of each
// stands "<masked:1f3a>": equal secrets have equal marks, so that a change of one can be
// seen. Also masks the lines between "BEGIN" and "END" of keys and certificates (RFC 7468
// and its likes).
class Mask {
 public:
  // `mark` gives four digits or so from which nobody can tell the secret.
  using Mark = std::function<std::string(std::string_view secret)>;
  // Nothing is masked without rules.
  Mask(SecretRules rules, Mark mark) : rules_(std::move(rules)), mark_(std::move(mark)) {}

  std::string line(std::string_view text);
  // So far.
  std::size_t masked() const { return masked_; }
  // Lines that still look as if they held one.
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
  // kInvalid: a pattern can't be read.
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

// What counts of a text, as one value that is equal where it is: it begins with the
// rules' identity, so that values that were made by other rules are not taken for each
// other. Empty without rules.
std::string substance(std::string_view text, const text::LineRules& left_out);
// Whether the value was made by these rules.
bool made_by(const std::string& substance, const text::LineRules& left_out);

}  // namespace vantro::backup
