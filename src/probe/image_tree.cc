#include "probe/image_tree.h"

#include <algorithm>
#include <fmt/format.h>
#include <libfdt.h>
#include <sys/mman.h>

#include "base/bytes.h"
#include "base/sizes.h"
#include "base/visible_name.h"
#include "crypto/digests.h"

namespace vantro::probe {
namespace {

constexpr std::size_t kPiece = 1 << 20;
constexpr int kMostImages = 1000;

// The file as memory. A disk error under it ends the process, so this runs apart.
class Mapped {
 public:
  explicit Mapped(const Source& source) : size_(source.size()) {
    address_ = ::mmap(nullptr, size_, PROT_READ, MAP_PRIVATE, source.fd(), 0);
  }
  ~Mapped() {
    if (*this) ::munmap(address_, size_);
  }
  Mapped(const Mapped&) = delete;
  Mapped& operator=(const Mapped&) = delete;
  explicit operator bool() const { return address_ != MAP_FAILED; }
  const std::uint8_t* data() const { return static_cast<const std::uint8_t*>(address_); }

 private:
  void* address_;
  std::uint64_t size_;
};

std::string name_of(const void* tree, int node) {
  const char* name = fdt_get_name(tree, node, nullptr);
  return base::printable(name == nullptr ? "?" : name, 60);
}

std::optional<std::string> text_property(const void* tree, int node, const char* name) {
  int length = 0;
  const auto* text = static_cast<const char*>(fdt_getprop(tree, node, name, &length));
  if (text == nullptr || length < 1) return std::nullopt;
  const std::string_view all(text, static_cast<std::size_t>(length));
  return std::string(all.substr(0, all.find('\0')));
}

std::optional<std::uint64_t> number_property(const void* tree, int node,
                                             const char* name) {
  int length = 0;
  const auto* value = static_cast<const fdt32_t*>(fdt_getprop(tree, node, name, &length));
  if (value == nullptr || length != sizeof(fdt32_t)) return std::nullopt;
  return fdt32_to_cpu(*value);
}

class TreeLook {
 public:
  TreeLook(const Source& source, const void* tree, Report& report)
      : source_(source), tree_(tree), report_(report) {}

  void look() {
    const int images = fdt_path_offset(tree_, "/images");
    if (images < 0) {
      report_.judge(Verdict::kWhole, "whole: the tree is valid; it has no images");
      return;
    }
    int node = 0;
    int count = 0;
    fdt_for_each_subnode(node, tree_, images) {
      if (++count > kMostImages) break;
      image(node);
    }
    if (checked_ > 0 && report_.verdict == Verdict::kUnknown) {
      report_.judge(Verdict::kWhole,
                    fmt::format("whole: {} of the images in the tree match",
                                checked_ == 1 ? "the hash"
                                              : fmt::format("all {} hashes", checked_)));
    }
  }

 private:
  void image(int node) {
    const auto name = name_of(tree_, node);
    if (const auto text = text_property(tree_, node, "description")) {
      report_.names.emplace_back("the description of '" + name + "'", *text);
    }
    const auto bytes = bytes_of(node);
    if (!bytes) return;
    ++report_.members_in_all;
    report_.members.push_back({name, bytes->second});
    const auto [offset, size] = *bytes;
    if (offset > source_.size() || size > source_.size() - offset) {
      report_.judge(
          Verdict::kCutShort,
          fmt::format("truncated: image '{}' ends {} bytes after the file's end", name,
                      offset + size - source_.size()));
      return;
    }
    int sub = 0;
    fdt_for_each_subnode(sub, tree_, node) {
      if (name_of(tree_, sub).starts_with("hash")) hash(name, sub, offset, size);
    }
  }

  // Offset in the file and size: in the tree itself, or after it.
  std::optional<std::pair<std::uint64_t, std::uint64_t>> bytes_of(int node) const {
    int length = 0;
    const void* data = fdt_getprop(tree_, node, "data", &length);
    if (data != nullptr) {
      const auto offset =
          static_cast<const char*>(data) - static_cast<const char*>(tree_);
      return std::pair(static_cast<std::uint64_t>(offset),
                       static_cast<std::uint64_t>(length));
    }
    const auto size = number_property(tree_, node, "data-size");
    if (!size) return std::nullopt;
    if (const auto at = number_property(tree_, node, "data-position")) {
      return std::pair(*at, *size);
    }
    if (const auto at = number_property(tree_, node, "data-offset")) {
      const std::uint64_t behind = (fdt_totalsize(tree_) + 3) & ~3ull;
      return std::pair(behind + *at, *size);
    }
    return std::nullopt;
  }

  void hash(const std::string& image, int node, std::uint64_t offset,
            std::uint64_t size) {
    const auto algorithm = text_property(tree_, node, "algo").value_or("");
    int length = 0;
    const auto* value =
        static_cast<const std::uint8_t*>(fdt_getprop(tree_, node, "value", &length));
    if (value == nullptr) return;
    const auto wanted = base::to_hex({value, static_cast<std::size_t>(length)});
    const auto found = digest(algorithm, offset, size);
    if (!found) {
      report_.say(source_.out_of_time()
                      ? std::string(kOutOfTime)
                      : fmt::format("'{}' of image '{}' is an unknown hash",
                                    base::printable(algorithm, 40), image));
      return;
    }
    ++checked_;
    if (*found == wanted) return;
    report_.judge(Verdict::kDamaged, fmt::format("damaged: the {} of image '{}' is wrong",
                                                 base::printable(algorithm, 40), image));
  }

  std::optional<std::string> digest(const std::string& algorithm, std::uint64_t offset,
                                    std::uint64_t size) const {
    if (algorithm == "crc32") {
      const auto crc = source_.crc32(offset, size);
      if (!crc) return std::nullopt;
      return fmt::format("{:08x}", *crc);
    }
    crypto::Digester digester;
    while (size > 0) {
      if (source_.out_of_time()) return std::nullopt;
      const auto bytes = source_.read(
          offset, static_cast<std::size_t>(std::min<std::uint64_t>(kPiece, size)));
      if (bytes.empty()) return std::nullopt;
      digester.update(bytes);
      offset += bytes.size();
      size -= bytes.size();
    }
    const auto digests = digester.finish();
    if (algorithm == "md5") return digests.md5;
    if (algorithm == "sha1") return digests.sha1;
    if (algorithm == "sha256") return digests.sha256;
    if (algorithm == "sha512") return digests.sha512;
    return std::nullopt;
  }

  const Source& source_;
  const void* tree_;
  Report& report_;
  int checked_ = 0;
};

}  // namespace

std::optional<Report> look_at_image_tree(const Source& source) {
  const auto head = source.read(0, sizeof(fdt_header));
  if (head.size() < 8 || fdt_magic(head.data()) != FDT_MAGIC) return std::nullopt;
  Report report;
  report.kind = "flattened image tree";
  const std::uint64_t whole = fdt_totalsize(head.data());
  if (head.size() < sizeof(fdt_header) || source.size() < whole) {
    report.judge(
        Verdict::kCutShort,
        fmt::format("truncated: {} of {} bytes are there, {} are missing", source.size(),
                    whole, base::size_text(whole - std::min(whole, source.size()))));
    return report;
  }
  const Mapped file(source);
  if (!file) {
    report.say("not read to its end: it needs more memory than is allowed");
    return report;
  }
  if (fdt_check_full(file.data(), static_cast<std::size_t>(whole)) != 0) {
    report.judge(Verdict::kDamaged, "damaged: the tree is inconsistent");
    return report;
  }
  TreeLook(source, file.data(), report).look();
  return report;
}

}  // namespace vantro::probe
