#include "mirror/record.h"

#include <charconv>
#include <fmt/format.h>

#include "crypto/digests.h"

namespace vantro::mirror {
namespace {

constexpr std::size_t kDigestLength = 32;

void add(crypto::Sha256& sum, std::string_view text) {
  // With its length: else two texts could be one text that was cut elsewhere.
  sum.update(base::as_bytes(fmt::format("{}:", text.size())));
  sum.update(base::as_bytes(text));
}

}  // namespace

std::string digest_of(const Key& key, const Record& record) {
  crypto::Sha256 sum;
  add(sum, key.table);
  add(sum, key.row);
  for (const auto& [name, value] : record.columns) {
    add(sum, name);
    add(sum, value);
  }
  add(sum, "");
  for (const auto& one : record.needs) add(sum, one);
  return sum.finish().substr(0, kDigestLength);
}

std::shared_ptr<const Dated> dated(const Key& key, Record record) {
  auto digest = digest_of(key, record);
  return std::make_shared<const Dated>(Dated{std::move(record), std::move(digest)});
}

Outline outline_of(const Picture& picture) {
  Outline outline;
  for (const auto& [key, one] : picture) {
    outline.emplace_hint(outline.end(), key, one->digest);
  }
  return outline;
}

std::string tag_of(const Outline& outline) {
  crypto::Sha256 sum;
  for (const auto& [key, digest] : outline) {
    add(sum, key.table);
    add(sum, key.row);
    add(sum, digest);
  }
  return sum.finish();
}

Difference difference(const Outline& from, const Picture& to) {
  Difference found;
  auto old = from.begin();
  for (const auto& [key, one] : to) {
    while (old != from.end() && old->first < key) found.gone.push_back((old++)->first);
    const bool known = old != from.end() && old->first == key;
    if (!known || old->second != one->digest) found.fresh.emplace_back(key, one);
    if (known) ++old;
  }
  for (; old != from.end(); ++old) found.gone.push_back(old->first);
  return found;
}

std::string joined(const std::vector<std::string>& texts) {
  std::string all;
  for (const auto& one : texts) all += fmt::format("{}:{},", one.size(), one);
  return all;
}

base::Outcome<std::vector<std::string>> parted(std::string_view text) {
  std::vector<std::string> texts;
  while (!text.empty()) {
    std::size_t length = 0;
    const auto [end, error] =
        std::from_chars(text.data(), text.data() + text.size(), length);
    const auto digits = static_cast<std::size_t>(end - text.data());
    if (error != std::errc() || digits >= text.size() || text[digits] != ':' ||
        length > text.size() - digits - 1 || length == text.size() - digits - 1 ||
        text[digits + 1 + length] != ',') {
      return base::refuse(base::Kind::kCorrupt, "a stored list of texts is damaged");
    }
    texts.emplace_back(text.substr(digits + 1, length));
    text.remove_prefix(digits + 1 + length + 1);
  }
  return texts;
}

}  // namespace vantro::mirror
