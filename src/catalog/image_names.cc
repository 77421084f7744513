#include "catalog/image_names.h"

#include <cstring>
#include <limits>
#include <set>
#include <unordered_map>
#include <utility>

#include "base/numbers.h"
#include "base/visible_name.h"
#include "catalog/image.h"

namespace vantro::catalog {
namespace {

// A change copies one block; a search reads all of them, the faster the fewer they are.
constexpr std::int64_t kImagesOfBlock = 512;

// No name contains it (base/visible_name.h).
constexpr char kEnd = '\n';

}  // namespace

// Each has a number, which it keeps when no image is for it any more.
struct ImageNames::Platforms {
  std::vector<std::string> all;
  std::unordered_map<std::string, std::uint32_t> numbers;

  void add(const std::string& platform) {
    const auto next = static_cast<std::uint32_t>(all.size());
    if (numbers.emplace(platform, next).second) all.push_back(platform);
  }
};

struct ImageNames::Block {
  struct Entry {
    std::int64_t image = 0;
    std::uint32_t text_end = 0;  // in `text`; it begins where the one before ends
    std::uint32_t platforms_end = 0;
  };

  std::string text;            // the names, each with kEnd behind it
  std::vector<Entry> entries;  // by id
  std::vector<std::uint32_t> platforms;

  Entry before(std::size_t at) const { return at == 0 ? Entry() : entries[at - 1]; }
  // `found`: by number of the platform.
  void search(const std::string& part,
              std::vector<std::vector<std::int64_t>>& found) const;
};

// Makes a block from images in the order of their ids.
class ImageNames::BlockMaker {
 public:
  void add(std::int64_t image, const One& one, const Platforms& platforms) {
    for (const auto& name : one.names) (block_.text += name) += kEnd;
    for (const auto& platform : one.platforms) {
      block_.platforms.push_back(platforms.numbers.at(platform));
    }
    end(image);
  }

  void copy(const Block& from, std::size_t at) {
    const auto& one = from.entries[at];
    const auto before = from.before(at);
    block_.text.append(from.text, before.text_end, one.text_end - before.text_end);
    for (auto i = before.platforms_end; i < one.platforms_end; ++i) {
      block_.platforms.push_back(from.platforms[i]);
    }
    end(one.image);
  }

  // Null: no image has a name.
  std::shared_ptr<const Block> made() {
    if (block_.entries.empty()) return nullptr;
    block_.text.shrink_to_fit();
    block_.entries.shrink_to_fit();
    block_.platforms.shrink_to_fit();
    return std::make_shared<const Block>(std::move(block_));
  }

 private:
  void end(std::int64_t image) {
    block_.entries.push_back({image, static_cast<std::uint32_t>(block_.text.size()),
                              static_cast<std::uint32_t>(block_.platforms.size())});
  }

  Block block_;
};

void ImageNames::Block::search(const std::string& part,
                               std::vector<std::vector<std::int64_t>>& found) const {
  std::size_t from = 0;
  for (std::size_t at = 0; at < entries.size(); ++at) {
    const void* hit =
        ::memmem(text.data() + from, text.size() - from, part.data(), part.size());
    if (hit == nullptr) return;
    const auto place =
        static_cast<std::size_t>(static_cast<const char*>(hit) - text.data());
    while (entries[at].text_end <= place) ++at;
    const auto& one = entries[at];
    for (auto i = before(at).platforms_end; i < one.platforms_end; ++i) {
      found[platforms[i]].push_back(one.image);
    }
    from = one.text_end;
  }
}

ImageNames::Changed ImageNames::look_up(db::Transaction& transaction, std::int64_t first,
                                        std::int64_t last) {
  Changed images;
  for (const auto& row : transaction.query(
           "select image, name from image_names where image >= :a and image <= :b",
           {first, last})) {
    images[row.integer(0)].names.push_back(base::folded(row.text(1)));
  }
  for (const auto& row : transaction.query(
           "select image, platform from image_platforms where image >= :a and image <= "
           ":b",
           {first, last})) {
    images[row.integer(0)].platforms.push_back(row.text(1));
  }
  return images;
}

ImageNames ImageNames::read(db::Transaction& transaction) {
  const auto last = transaction.query("select coalesce(max(id), 0) from images").front();
  std::vector<std::pair<std::int64_t, std::shared_ptr<const Block>>> blocks;
  Platforms platforms;
  for (std::int64_t number = 0; number <= last.integer(0) / kImagesOfBlock; ++number) {
    const auto first = number * kImagesOfBlock;
    BlockMaker maker;
    for (const auto& [image, one] :
         look_up(transaction, first, first + kImagesOfBlock - 1)) {
      for (const auto& platform : one.platforms) platforms.add(platform);
      maker.add(image, one, platforms);
    }
    if (auto block = maker.made()) blocks.emplace_back(number, std::move(block));
  }
  ImageNames all;
  all.platforms_ = std::make_shared<const Platforms>(std::move(platforms));
  all.blocks_ = decltype(all.blocks_)(std::move(blocks));
  return all;
}

ImageNames ImageNames::after(db::Transaction& transaction,
                             const std::vector<db::Change>& changes) const {
  std::map<std::int64_t, Changed> by_block;
  for (const auto& one : changes) {
    if (one.kind != kImageChanged) continue;
    const auto image = base::parse_number<std::int64_t>(one.object).value_or(0);
    auto& changed = by_block[image / kImagesOfBlock];
    if (changed.contains(image)) continue;
    changed[image] = std::move(look_up(transaction, image, image)[image]);
  }
  auto next = *this;
  for (const auto& [number, changed] : by_block) {
    next.learn_platforms(changed);
    next.replace(number, changed);
  }
  return next;
}

void ImageNames::learn_platforms(const Changed& changed) {
  std::set<std::string> unknown;
  for (const auto& [image, one] : changed) {
    for (const auto& platform : one.platforms) {
      if (!platforms_->numbers.contains(platform)) unknown.insert(platform);
    }
  }
  if (unknown.empty()) return;
  auto more = std::make_shared<Platforms>(*platforms_);
  for (const auto& platform : unknown) more->add(platform);
  platforms_ = std::move(more);
}

void ImageNames::replace(std::int64_t number, const Changed& changed) {
  static const Block kNone;
  const auto* known = blocks_.find(number);
  const Block& block = known == nullptr ? kNone : **known;
  BlockMaker maker;
  std::size_t at = 0;
  const auto copy_up_to = [&](std::int64_t image) {
    for (; at < block.entries.size() && block.entries[at].image < image; ++at) {
      maker.copy(block, at);
    }
  };
  for (const auto& [image, one] : changed) {
    copy_up_to(image);
    if (at < block.entries.size() && block.entries[at].image == image) ++at;
    if (!one.names.empty()) maker.add(image, one, *platforms_);
  }
  copy_up_to(std::numeric_limits<std::int64_t>::max());
  if (auto made = maker.made()) {
    blocks_.set(number, std::move(made));
  } else {
    blocks_.erase(number);
  }
}

NamesFound ImageNames::containing(const std::string& text) const {
  NamesFound found;
  found.part = base::folded(text);
  if (found.part.find(kEnd) != std::string::npos) return found;
  std::vector<std::vector<std::int64_t>> images(platforms_->all.size());
  blocks_.each(
      [&](std::int64_t, const auto& block) { block->search(found.part, images); });
  for (std::size_t i = 0; i < images.size(); ++i) {
    if (images[i].empty()) continue;
    found.by_platform.emplace(platforms_->all[i], std::move(images[i]));
  }
  return found;
}

}  // namespace vantro::catalog
