// An ordered map of which copies share what they have in common: to copy one and change
// an entry costs about a thousandth of its entries, not all of them. So a snapshot that
// readers hold stays as it is, while the next one is made from it.
//
// The entries lie in order in leaves of at most kLeaf; a map is the list of its leaves. A
// change makes a new leaf in place of the one that it falls into.
#pragma once

#include <algorithm>
#include <cstddef>
#include <memory>
#include <utility>
#include <vector>

namespace vantro::base {

// Reading one map on several threads is safe; so is changing a copy of it meanwhile.
template <class Key, class Value>
class SharedMap {
 public:
  using Entry = std::pair<Key, Value>;
  static constexpr std::size_t kLeaf = 128;

  SharedMap() = default;
  // Of several entries with one key the first counts.
  explicit SharedMap(std::vector<Entry> entries) {
    const auto before = [](const Entry& a, const Entry& b) { return a.first < b.first; };
    std::stable_sort(entries.begin(), entries.end(), before);
    const auto same = [](const Entry& a, const Entry& b) { return a.first == b.first; };
    entries.erase(std::unique(entries.begin(), entries.end(), same), entries.end());
    size_ = entries.size();
    for (std::size_t at = 0; at < entries.size(); at += kLeaf / 2) {
      const auto first = std::make_move_iterator(entries.begin() + offset(at));
      const auto end = std::min(at + kLeaf / 2, entries.size());
      leaves_.push_back(std::make_shared<const Leaf>(
          first, std::make_move_iterator(entries.begin() + offset(end))));
    }
  }

  std::size_t size() const { return size_; }
  bool empty() const { return size_ == 0; }

  // Null: there is none. Lives as long as this map, or a copy that still has the entry.
  const Value* find(const Key& key) const {
    if (leaves_.empty()) return nullptr;
    const auto& leaf = *leaves_[leaf_of(key)];
    const auto found = place(leaf, key);
    return found == leaf.end() || found->first != key ? nullptr : &found->second;
  }
  bool contains(const Key& key) const { return find(key) != nullptr; }

  // Adds the entry, or puts the value in place of the one that is there.
  void set(const Key& key, Value value) {
    if (leaves_.empty()) leaves_.push_back(std::make_shared<const Leaf>());
    const auto at = leaf_of(key);
    auto leaf = std::make_shared<Leaf>(*leaves_[at]);
    const auto found = place(*leaf, key);
    if (found != leaf->end() && found->first == key) {
      (*leaf)[static_cast<std::size_t>(found - leaf->begin())].second = std::move(value);
    } else {
      leaf->emplace(found, key, std::move(value));
      ++size_;
    }
    if (leaf->size() <= kLeaf) {
      leaves_[at] = std::move(leaf);
      return;
    }
    const auto half = leaf->begin() + offset(leaf->size() / 2);
    auto upper = std::make_shared<const Leaf>(half, leaf->end());
    leaf->erase(half, leaf->end());
    leaves_[at] = std::move(leaf);
    leaves_.insert(leaves_.begin() + offset(at + 1), std::move(upper));
  }

  void erase(const Key& key) {
    if (!contains(key)) return;
    const auto at = leaf_of(key);
    auto leaf = std::make_shared<Leaf>(*leaves_[at]);
    leaf->erase(place(*leaf, key));
    --size_;
    // Merges small neighbours, so that leaves stay full as entries come and go.
    if (at + 1 < leaves_.size() && leaf->size() + leaves_[at + 1]->size() <= kLeaf / 4) {
      leaf->insert(leaf->end(), leaves_[at + 1]->begin(), leaves_[at + 1]->end());
      leaves_.erase(leaves_.begin() + offset(at + 1));
    }
    if (leaf->empty()) {
      leaves_.erase(leaves_.begin() + offset(at));
    } else {
      leaves_[at] = std::move(leaf);
    }
  }

  // In the order of the keys.
  template <class F>
  void each(F take) const {
    for (const auto& leaf : leaves_) {
      for (const auto& [key, value] : *leaf) take(key, value);
    }
  }

 private:
  using Leaf = std::vector<Entry>;

  static std::ptrdiff_t offset(std::size_t at) { return static_cast<std::ptrdiff_t>(at); }

  static auto place(const Leaf& leaf, const Key& key) {
    return std::lower_bound(leaf.begin(), leaf.end(), key,
                            [](const Entry& one, const Key& k) { return one.first < k; });
  }

  // The leaf of the key, or where it would go. REQUIRES: there is a leaf.
  std::size_t leaf_of(const Key& key) const {
    const auto behind = std::upper_bound(
        leaves_.begin(), leaves_.end(), key, [](const Key& k, const auto& leaf) {
          return !leaf->empty() && k < leaf->front().first;
        });
    return behind == leaves_.begin()
               ? 0
               : static_cast<std::size_t>(behind - leaves_.begin()) - 1;
  }

  std::vector<std::shared_ptr<const Leaf>> leaves_;  // none is empty but a lone first
  std::size_t size_ = 0;
};

}  // namespace vantro::base
