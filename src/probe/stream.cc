#include "probe/stream.h"

#include <algorithm>
#include <archive.h>
#include <archive_entry.h>
#include <array>
#include <fmt/format.h>
#include <stdexcept>
#include <zlib.h>

#include "base/sizes.h"
#include "base/visible_name.h"

namespace vantro::probe {
namespace {

constexpr std::size_t kPiece = 256 * 1024;

class FileStream final : public Stream {
 public:
  explicit FileStream(const Source& source) : source_(source) {}
  base::ByteView next() override {
    if (source_.out_of_time()) {
      trouble_ = {Verdict::kUnknown, kOutOfTime};
      return {};
    }
    piece_ = source_.read(offset_, kPiece);
    offset_ += piece_.size();
    return piece_;
  }

 private:
  const Source& source_;
  std::uint64_t offset_ = 0;
  base::ByteBuffer piece_;
};

// The common part of both unpackers.
class Unpacking : public Stream {
 public:
  Unpacking(std::unique_ptr<Stream> below, const Source& source)
      : below_(std::move(below)), source_(source) {}

 protected:
  // False: the limit is reached.
  bool count(std::size_t bytes) {
    unpacked_ += bytes;
    if (unpacked_ <= source_.limits().expanded) return true;
    trouble_ = {Verdict::kUnknown,
                fmt::format("not read to its end: unpacked it is larger than {}",
                            base::size_text(source_.limits().expanded))};
    return false;
  }
  void broke(Verdict verdict, const std::string& finding) {
    // The problem below is the cause.
    trouble_ = below_->trouble() ? below_->trouble() : Trouble{verdict, finding};
  }

  std::unique_ptr<Stream> below_;
  const Source& source_;
  std::uint64_t unpacked_ = 0;
};

// Through zlib, as it checks the CRC and length after each member; members may follow
// each other, and zeros may fill up the end.
class GzipStream final : public Unpacking {
 public:
  GzipStream(std::unique_ptr<Stream> below, const Source& source)
      : Unpacking(std::move(below), source), out_(kPiece) {
    if (::inflateInit2(&zlib_, 15 + 16) != Z_OK) throw std::bad_alloc();
  }
  ~GzipStream() override { ::inflateEnd(&zlib_); }

  base::ByteView next() override {
    while (!ended_) {
      if (zlib_.avail_in == 0 && !refill()) {
        ended_ = true;
        if (in_member_) {
          broke(Verdict::kCutShort,
                fmt::format("truncated: the gzip stream ends after {} unpacked, in the "
                            "middle",
                            base::size_text(unpacked_)));
        }
        break;
      }
      if (!in_member_ && !begin_member()) break;
      zlib_.next_out = out_.data();
      zlib_.avail_out = static_cast<uInt>(out_.size());
      const int result = ::inflate(&zlib_, Z_NO_FLUSH);
      const auto got = out_.size() - zlib_.avail_out;
      if (result == Z_STREAM_END) {
        in_member_ = false;
      } else if (result != Z_OK && result != Z_BUF_ERROR) {
        ended_ = true;
        broke(Verdict::kDamaged,
              fmt::format("damaged: gzip's own check fails after {} unpacked ({})",
                          base::size_text(unpacked_ + got),
                          zlib_.msg == nullptr ? "no reason given" : zlib_.msg));
      }
      if (!count(got)) ended_ = true;
      if (got > 0) return {out_.data(), got};
    }
    return {};
  }

 private:
  bool refill() {
    const auto bytes = below_->next();
    // The bytes below stay until the next call.
    zlib_.next_in = const_cast<std::uint8_t*>(bytes.data());
    zlib_.avail_in = static_cast<uInt>(bytes.size());
    return !bytes.empty();
  }

  // Between two members, or in the filling at the end.
  bool begin_member() {
    while (true) {
      while (zlib_.avail_in > 0 && members_ > 0 && *zlib_.next_in == 0) {
        ++zlib_.next_in;
        --zlib_.avail_in;
      }
      if (zlib_.avail_in > 0) break;
      if (!refill()) {
        ended_ = true;
        return false;
      }
    }
    if (members_ > 0 && *zlib_.next_in != 0x1f) {
      ended_ = true;
      broke(Verdict::kUnknown, "other bytes follow after the gzip stream's end");
      return false;
    }
    if (members_ > 0) ::inflateReset(&zlib_);
    ++members_;
    in_member_ = true;
    return true;
  }

  z_stream zlib_{};
  base::ByteBuffer out_;
  bool in_member_ = false;
  bool ended_ = false;
  std::uint64_t members_ = 0;
};

// xz, bzip2 and zstd through libarchive.
class FilterStream final : public Unpacking {
 public:
  FilterStream(std::string name, std::unique_ptr<Stream> below, const Source& source)
      : Unpacking(std::move(below), source),
        name_(std::move(name)),
        archive_(::archive_read_new()) {
    if (archive_ == nullptr) throw std::bad_alloc();
    ::archive_read_support_format_raw(archive_);
    if (name_ == "xz") ::archive_read_support_filter_xz(archive_);
    if (name_ == "bzip2") ::archive_read_support_filter_bzip2(archive_);
    if (name_ == "zstd") ::archive_read_support_filter_zstd(archive_);
  }
  ~FilterStream() override { ::archive_read_free(archive_); }

  base::ByteView next() override {
    if (ended_) return {};
    if (!opened_ && !open()) return {};
    const void* bytes = nullptr;
    std::size_t size = 0;
    la_int64_t offset = 0;
    const int result = ::archive_read_data_block(archive_, &bytes, &size, &offset);
    if (result == ARCHIVE_EOF) {
      ended_ = true;
      if (below_->trouble()) trouble_ = below_->trouble();
      return {};
    }
    if (result != ARCHIVE_OK) {
      fail();
      return {};
    }
    if (!count(size)) ended_ = true;
    if (size == 0) return next();
    return {static_cast<const std::uint8_t*>(bytes), size};
  }

 private:
  static la_ssize_t read(struct archive*, void* self, const void** bytes) {
    const auto view = static_cast<FilterStream*>(self)->below_->next();
    *bytes = view.data();
    return static_cast<la_ssize_t>(view.size());
  }

  bool open() {
    opened_ = true;
    struct archive_entry* entry = nullptr;
    if (::archive_read_open(archive_, this, nullptr, read, nullptr) == ARCHIVE_OK &&
        ::archive_read_next_header(archive_, &entry) == ARCHIVE_OK) {
      if (::archive_filter_count(archive_) > 1) return true;
      // Too short to be recognised, plain bytes would pass through.
      ended_ = true;
      broke(Verdict::kCutShort,
            fmt::format("truncated: the {} stream ends within its header", name_));
      return false;
    }
    fail();
    return false;
  }

  void fail() {
    ended_ = true;
    const char* said = ::archive_error_string(archive_);
    const std::string reason = said == nullptr ? "no reason given" : said;
    // The only places where libarchive distinguishes the two.
    const bool cut = reason.find("runcated") != std::string::npos ||
                     reason.find("No progress") != std::string::npos ||
                     reason.find("end of file") != std::string::npos;
    const auto so_far = base::size_text(unpacked_);
    if (cut) {
      broke(Verdict::kCutShort,
            fmt::format("truncated: the {} stream ends after {} unpacked, in the middle",
                        name_, so_far));
    } else {
      broke(Verdict::kDamaged,
            fmt::format("damaged: the {} stream can't be unpacked beyond {} ({})", name_,
                        so_far, base::printable(reason, 100)));
    }
  }

  std::string name_;
  struct archive* archive_;
  bool opened_ = false;
  bool ended_ = false;
};

}  // namespace

base::ByteView Peekable::peek(std::size_t count) {
  while (head_.size() < count) {
    const auto bytes = below_->next();
    if (bytes.empty()) break;
    head_.insert(head_.end(), bytes.begin(), bytes.end());
  }
  return base::ByteView(head_).subspan(0, std::min(count, head_.size()));
}

base::ByteView Peekable::next() {
  if (!std::exchange(head_given_, true) && !head_.empty()) return head_;
  const auto bytes = below_->next();
  if (bytes.empty() && below_->trouble()) trouble_ = below_->trouble();
  return bytes;
}

std::unique_ptr<Stream> file_stream(const Source& source) {
  return std::make_unique<FileStream>(source);
}

std::optional<std::string> compression_of(base::ByteView head) {
  const auto begins = [&](std::initializer_list<std::uint8_t> magic) {
    return head.size() >= magic.size() &&
           std::equal(magic.begin(), magic.end(), head.begin());
  };
  if (begins({0x1f, 0x8b, 8})) return "gzip";
  if (begins({0xfd, '7', 'z', 'X', 'Z', 0})) return "xz";
  if (begins({'B', 'Z', 'h'}) && head.size() > 3 && head[3] >= '1' && head[3] <= '9') {
    return "bzip2";
  }
  if (begins({0x28, 0xb5, 0x2f, 0xfd})) return "zstd";
  return std::nullopt;
}

std::unique_ptr<Stream> unpack(const std::string& compression,
                               std::unique_ptr<Stream> below, const Source& source) {
  if (compression == "gzip")
    return std::make_unique<GzipStream>(std::move(below), source);
  return std::make_unique<FilterStream>(compression, std::move(below), source);
}

}  // namespace vantro::probe
