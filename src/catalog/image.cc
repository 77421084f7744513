#include "catalog/image.h"

#include <algorithm>
#include <array>
#include <fmt/format.h>
#include <utility>

namespace vantro::catalog {
namespace {

constexpr std::array kVouchings{
    std::pair{Vouching::kUnvouched, "unvouched"},
    std::pair{Vouching::kWeakly, "vouched-weakly"},
    std::pair{Vouching::kVouched, "vouched"},
    std::pair{Vouching::kContradicted, "contradicted"},
};

}  // namespace

const std::string kImageColumns =
    "i.id, i.name, i.size, i.md5, i.sha1, i.sha256, i.sha512, i.taken_in_at, "
    "i.taken_in_by, i.maker, i.platforms, i.hardware, i.role, i.version, i.line, "
    "i.stage, i.space, i.remarks, i.source, i.vouching, i.withdrawn_at, "
    "i.withdrawn_why, i.whole, i.read_at, i.verdict, i.kind, i.findings, "
    "i.members_in_all, i.guessed, "
    // With "limit", PostgreSQL looks for the image's own offer; with "exists" it reads
    // all of them once, which takes longer than a page.
    "coalesce((select 1 from offers o where o.image = i.id and o.ended_at is null limit "
    "1), 0)";

const char* word(Vouching vouching) {
  for (const auto& [value, name] : kVouchings) {
    if (value == vouching) return name;
  }
  return "unvouched";
}

std::optional<Vouching> vouching_of(const std::string& word) {
  for (const auto& [value, name] : kVouchings) {
    if (word == name) return value;
  }
  return std::nullopt;
}

base::Refusal digest_follows(const std::string& name, crypto::Algorithm algorithm) {
  return {base::Kind::kBusy,
          fmt::format("the {} of '{}' is still being computed; ask again in a minute",
                      crypto::title(algorithm), name)};
}

std::string joined_lines(const std::vector<std::string>& lines) {
  std::string text;
  for (const auto& line : lines) text += (text.empty() ? "" : "\n") + line;
  return text;
}

std::vector<std::string> split_lines(const std::string& text) {
  std::vector<std::string> lines;
  for (std::size_t at = 0; at < text.size();) {
    const auto end = std::min(text.find('\n', at), text.size());
    lines.push_back(text.substr(at, end - at));
    at = end + 1;
  }
  return lines;
}

Image image_of(const db::Row& row, std::size_t from) {
  const auto text = [&](std::size_t column) { return row.text(from + column); };
  const auto number = [&](std::size_t column) { return row.integer(from + column); };
  Image image;
  image.id = number(0);
  image.name = text(1);
  image.size = static_cast<std::uint64_t>(number(2));
  image.digests = {text(3), text(4), text(5), text(6)};
  image.taken_in_at = number(7);
  image.taken_in_by = text(8);
  auto& facts = image.facts;
  facts.maker = text(9);
  facts.platforms = split_lines(text(10));
  facts.hardware = split_lines(text(11));
  facts.role = text(12);
  facts.version = text(13);
  facts.line = text(14);
  facts.stage = text(15);
  if (!row.is_null(from + 16)) facts.space = static_cast<std::uint64_t>(number(16));
  facts.remarks = text(17);
  facts.source = text(18);
  image.vouching = vouching_of(text(19)).value_or(Vouching::kUnvouched);
  if (!row.is_null(from + 20)) image.withdrawal = Withdrawal{number(20), text(21)};
  image.whole = number(22) != 0;
  image.read_at = number(23);
  image.verdict = text(24);
  image.kind = text(25);
  image.findings = split_lines(text(26));
  image.members_in_all = static_cast<std::uint64_t>(number(27));
  facts.guessed = split_lines(text(28));
  image.offered = number(29) > 0;
  return image;
}

}  // namespace vantro::catalog
