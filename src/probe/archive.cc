#include "probe/archive.h"

#include <algorithm>
#include <archive.h>
#include <archive_entry.h>
#include <cerrno>
#include <cstdio>
#include <cstring>
#include <fmt/format.h>
#include <memory>
#include <system_error>

#include "base/sizes.h"
#include "base/visible_name.h"
#include "probe/stream.h"

namespace vantro::probe {
namespace {

constexpr int kMostLayers = 4;
constexpr std::size_t kTarBlock = 512;

struct FreeArchive {
  void operator()(struct archive* a) const { ::archive_read_free(a); }
};
using Archive = std::unique_ptr<struct archive, FreeArchive>;

Archive new_archive() {
  Archive made(::archive_read_new());
  if (!made) throw std::bad_alloc();
  return made;
}

// A tar header's checksum: the sum of its bytes, the field itself as spaces.
bool is_tar(base::ByteView head) {
  if (head.size() < kTarBlock) return false;
  const std::string field(head.begin() + 148, head.begin() + 156);
  unsigned wanted = 0;
  if (std::sscanf(field.c_str(), "%o", &wanted) != 1) return false;
  unsigned sum = 0;
  for (std::size_t i = 0; i < kTarBlock; ++i) {
    sum += i >= 148 && i < 156 ? ' ' : head[i];
  }
  return sum == wanted;
}

bool is_cpio(base::ByteView head) {
  if (head.size() < 6) return false;
  const std::string magic(head.begin(), head.begin() + 6);
  return magic == "070701" || magic == "070702" || magic == "070707";
}

bool is_zip(base::ByteView head) {
  return head.size() >= 4 && std::memcmp(head.data(), "PK\3\4", 4) == 0;
}

// Counts the zeros at a stream's end: a tar archive ends with two empty blocks.
class TailWatch final : public Stream {
 public:
  explicit TailWatch(Stream& below) : below_(below) {}
  base::ByteView next() override {
    const auto bytes = below_.next();
    if (bytes.empty() && below_.trouble()) trouble_ = below_.trouble();
    const auto last = std::find_if(bytes.rbegin(), bytes.rend(),
                                   [](std::uint8_t byte) { return byte != 0; });
    const auto run = static_cast<std::uint64_t>(last - bytes.rbegin());
    zeros_ = last == bytes.rend() ? zeros_ + run : run;
    total_ += bytes.size();
    return bytes;
  }
  std::uint64_t zeros() const { return zeros_; }
  std::uint64_t total() const { return total_; }

 private:
  Stream& below_;
  std::uint64_t zeros_ = 0;
  std::uint64_t total_ = 0;
};

class MemberLook {
 public:
  MemberLook(struct archive* a, const Source& source, Report& report)
      : archive_(a), source_(source), report_(report) {}

  // All members, their bytes as well.
  void look() {
    struct archive_entry* entry = nullptr;
    while (true) {
      const int result = ::archive_read_next_header(archive_, &entry);
      if (result == ARCHIVE_EOF) return;
      if (result == ARCHIVE_FATAL || result == ARCHIVE_FAILED) {
        trouble("the next member can't be read");
        return;
      }
      if (!member(entry)) return;
    }
  }

 private:
  bool member(struct archive_entry* entry) {
    const char* path = ::archive_entry_pathname(entry);
    const auto name = base::printable(path == nullptr ? "?" : path, 255);
    const auto size =
        static_cast<std::uint64_t>(std::max<la_int64_t>(0, ::archive_entry_size(entry)));
    if (::archive_entry_filetype(entry) == AE_IFREG) {
      ++report_.members_in_all;
      if (report_.members.size() < Report::kMostMembers) {
        report_.members.push_back({name, size});
      }
    }
    if (::archive_entry_is_encrypted(entry) > 0) {
      report_.say(fmt::format("'{}' is encrypted and was not checked", name));
      return true;
    }
    const void* bytes = nullptr;
    std::size_t count = 0;
    la_int64_t offset = 0;
    std::uint64_t have = 0;
    while (true) {
      if (source_.out_of_time()) {
        report_.say(kOutOfTime);
        return false;
      }
      const int result = ::archive_read_data_block(archive_, &bytes, &count, &offset);
      if (result == ARCHIVE_EOF) return true;
      if (result != ARCHIVE_OK) {
        trouble(fmt::format("'{}' ends after {} of {} bytes", name, have, size));
        return false;
      }
      have += count;
      expanded_ += count;
      if (expanded_ > source_.limits().expanded) {
        report_.say(fmt::format("not read to its end: its members are larger than {}",
                                base::size_text(source_.limits().expanded)));
        return false;
      }
    }
  }

  void trouble(const std::string& what) {
    if (::archive_errno(archive_) == ENOMEM) {
      report_.say("not read to its end: it needs more memory than is allowed");
      return;
    }
    const char* said = ::archive_error_string(archive_);
    const std::string reason = said == nullptr ? "" : said;
    const bool cut = reason.find("runcated") != std::string::npos ||
                     reason.find("Unexpected end") != std::string::npos;
    const auto verdict = cut ? Verdict::kCutShort : Verdict::kDamaged;
    report_.judge(verdict, fmt::format("{}: {} ({})", cut ? "truncated" : "damaged", what,
                                       base::printable(reason, 120)));
  }

  struct archive* archive_;
  const Source& source_;
  Report& report_;
  std::uint64_t expanded_ = 0;
};

la_ssize_t read_stream(struct archive*, void* stream, const void** bytes) {
  const auto view = static_cast<Stream*>(stream)->next();
  *bytes = view.data();
  return static_cast<la_ssize_t>(view.size());
}

void note_trouble(Report& report, const Stream& stream) {
  if (!stream.trouble()) return;
  // The cause below comes before its consequences above.
  report.findings.clear();
  report.judge(stream.trouble()->verdict, stream.trouble()->finding);
}

// tar or cpio, in any layers.
void look_at_members(Stream& stream, bool tar, const Source& source, Report& report) {
  TailWatch watched(stream);
  const auto archive = new_archive();
  if (tar) {
    ::archive_read_support_format_tar(archive.get());
  } else {
    ::archive_read_support_format_cpio(archive.get());
  }
  if (::archive_read_open(archive.get(), &watched, nullptr, read_stream, nullptr) !=
      ARCHIVE_OK) {
    report.judge(Verdict::kDamaged, "damaged: the archive's first member can't be read");
  } else {
    MemberLook(archive.get(), source, report).look();
  }
  // The layers below have check values even after the archive's end.
  while (!watched.next().empty()) {
  }
  note_trouble(report, watched);
  if (!report.findings.empty()) return;
  if (tar && (watched.zeros() < 2 * kTarBlock || watched.total() % kTarBlock != 0)) {
    report.judge(Verdict::kCutShort,
                 "truncated: the two empty blocks that end a tar archive are missing; "
                 "members may be missing, too");
    return;
  }
  report.judge(Verdict::kWhole, "whole: read to its end, all check values match");
}

// The size of a zip archive's end record, and the longest comment after it.
constexpr std::size_t kZipEnd = 22;
constexpr std::size_t kLongestComment = 65'535;

// A file for formats with random access. The library's own way asks the system about the
// file, which a confined process cannot do.
class SeekableFile {
 public:
  explicit SeekableFile(const Source& source) : source_(source) {}

  bool open(struct archive* archive) {
    ::archive_read_set_read_callback(archive, read);
    ::archive_read_set_seek_callback(archive, seek);
    ::archive_read_set_callback_data(archive, this);
    return ::archive_read_open1(archive) == ARCHIVE_OK;
  }

 private:
  static la_ssize_t read(struct archive* archive, void* self, const void** bytes) {
    constexpr std::size_t kBlock = 64 * 1024;
    auto& file = *static_cast<SeekableFile*>(self);
    try {
      file.block_ = file.source_.read(file.at_, kBlock);
    } catch (const std::system_error& error) {
      ::archive_set_error(archive, error.code().value(), "the file can't be read");
      return ARCHIVE_FATAL;
    }
    file.at_ += file.block_.size();
    *bytes = file.block_.data();
    return static_cast<la_ssize_t>(file.block_.size());
  }
  static la_int64_t seek(struct archive*, void* self, la_int64_t offset, int whence) {
    auto& file = *static_cast<SeekableFile*>(self);
    const auto size = static_cast<la_int64_t>(file.source_.size());
    const auto from = whence == SEEK_SET   ? 0
                      : whence == SEEK_CUR ? static_cast<la_int64_t>(file.at_)
                                           : size;
    const auto at = std::clamp<la_int64_t>(from + offset, 0, size);
    file.at_ = static_cast<std::uint64_t>(at);
    return at;
  }

  const Source& source_;
  std::uint64_t at_ = 0;
  base::ByteBuffer block_;
};

// Where the record at the archive's end says that its directory begins: the file must be
// at least that long.
bool has_zip_end(const Source& source) {
  const auto tail = std::min<std::uint64_t>(source.size(), kZipEnd + kLongestComment);
  const auto bytes = source.read(source.size() - tail, static_cast<std::size_t>(tail));
  const std::string_view text(reinterpret_cast<const char*>(bytes.data()), bytes.size());
  return text.rfind("PK\5\6") != std::string_view::npos;
}

Report look_at_zip(const Source& source) {
  Report report;
  report.kind = "zip archive";
  if (!has_zip_end(source)) {
    report.judge(Verdict::kCutShort,
                 "truncated: the directory that ends a zip archive is missing");
    return report;
  }
  const auto archive = new_archive();
  ::archive_read_support_format_zip_seekable(archive.get());
  SeekableFile file(source);
  if (!file.open(archive.get())) {
    report.judge(Verdict::kDamaged, "damaged: the zip archive's directory can't be read");
    return report;
  }
  MemberLook(archive.get(), source, report).look();
  if (report.verdict == Verdict::kUnknown && report.findings.empty()) {
    report.judge(Verdict::kWhole, "whole: read to its end, all check values match");
  }
  return report;
}

// The member of that path, in an open archive.
TakenOut take_out_of(struct archive* archive, const Source& source,
                     const std::string& path,
                     const std::function<bool(base::ByteView)>& take) {
  struct archive_entry* entry = nullptr;
  while (true) {
    const int result = ::archive_read_next_header(archive, &entry);
    if (result == ARCHIVE_EOF) return TakenOut::kNoSuchMember;
    if (result == ARCHIVE_FATAL || result == ARCHIVE_FAILED) return TakenOut::kBroken;
    const char* name = ::archive_entry_pathname(entry);
    if (name != nullptr && ::archive_entry_filetype(entry) == AE_IFREG &&
        base::printable(name, 255) == path) {
      break;
    }
  }
  const void* bytes = nullptr;
  std::size_t count = 0;
  la_int64_t offset = 0;
  std::uint64_t have = 0;
  while (true) {
    if (source.out_of_time()) return TakenOut::kBroken;
    const int result = ::archive_read_data_block(archive, &bytes, &count, &offset);
    if (result == ARCHIVE_EOF) break;
    // A hole in the file means zeros; no image has one.
    if (result != ARCHIVE_OK || static_cast<std::uint64_t>(offset) != have) {
      return TakenOut::kBroken;
    }
    have += count;
    if (have > source.limits().expanded ||
        !take({static_cast<const std::uint8_t*>(bytes), count})) {
      return TakenOut::kBroken;
    }
  }
  const auto size = static_cast<std::uint64_t>(::archive_entry_size(entry));
  return ::archive_entry_size_is_set(entry) == 0 || have == size ? TakenOut::kWhole
                                                                 : TakenOut::kBroken;
}

// zstd's check value is optional (RFC 8878, 3.1.1.1.1: bit 2 of the byte after the magic
// number): without it damage can go unnoticed.
std::string without_check_value(const Source& source, const std::string& layers) {
  constexpr std::uint8_t kChecksumFlag = 4;
  if (!layers.ends_with("zstd")) return "";
  const auto head = source.read(4, 1);
  if (head.empty() || (head[0] & kChecksumFlag) != 0) return "";
  return "it was packed without a check value, so damage may go unnoticed";
}

}  // namespace

TakenOut take_out(const Source& source, const std::string& path,
                  const std::function<bool(base::ByteView)>& take) {
  auto stream = std::make_unique<Peekable>(file_stream(source));
  for (int i = 0; i < kMostLayers; ++i) {
    const auto compression = compression_of(stream->peek(kTarBlock));
    if (!compression) break;
    stream = std::make_unique<Peekable>(unpack(*compression, std::move(stream), source));
  }
  const auto head = stream->peek(kTarBlock);
  const auto archive = new_archive();
  if (is_zip(head)) {
    SeekableFile file(source);
    ::archive_read_support_format_zip_seekable(archive.get());
    if (!file.open(archive.get())) return TakenOut::kBroken;
    return take_out_of(archive.get(), source, path, take);
  }
  if (is_tar(head)) {
    ::archive_read_support_format_tar(archive.get());
  } else if (is_cpio(head)) {
    ::archive_read_support_format_cpio(archive.get());
  } else {
    return TakenOut::kNoSuchMember;
  }
  if (::archive_read_open(archive.get(), stream.get(), nullptr, read_stream, nullptr) !=
      ARCHIVE_OK) {
    return TakenOut::kBroken;
  }
  const auto taken = take_out_of(archive.get(), source, path, take);
  return stream->trouble() ? TakenOut::kBroken : taken;
}

std::optional<Report> look_at_archive(const Source& source) {
  Report report;
  auto stream = std::make_unique<Peekable>(file_stream(source));
  std::string layers;
  for (int i = 0; i < kMostLayers; ++i) {
    const auto compression = compression_of(stream->peek(kTarBlock));
    if (!compression) break;
    layers = layers.empty() ? *compression : *compression + " in " + layers;
    stream = std::make_unique<Peekable>(unpack(*compression, std::move(stream), source));
  }
  const auto head = stream->peek(kTarBlock);
  const std::string unchecked = without_check_value(source, layers);
  const bool tar = is_tar(head);
  if (tar || is_cpio(head)) {
    report.kind = std::string(tar ? "tar" : "cpio") + " archive" +
                  (layers.empty() ? "" : " in " + layers);
    look_at_members(*stream, tar, source, report);
    if (!unchecked.empty()) report.say(unchecked);
    return report;
  }
  if (layers.empty()) {
    if (is_zip(head)) return look_at_zip(source);
    return std::nullopt;
  }
  report.kind = layers;
  std::uint64_t unpacked = 0;
  for (auto bytes = stream->next(); !bytes.empty(); bytes = stream->next()) {
    unpacked += bytes.size();
  }
  note_trouble(report, *stream);
  if (report.findings.empty()) {
    report.judge(Verdict::kWhole,
                 fmt::format("whole: unpacks to {}, all check values match",
                             base::size_text(unpacked)));
  }
  if (!unchecked.empty()) report.say(unchecked);
  return report;
}

}  // namespace vantro::probe
