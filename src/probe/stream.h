// Bytes that are unpacked while they are read, in layers: file -> gzip -> its content.
#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <string>

#include "base/bytes.h"
#include "probe/report.h"
#include "probe/source.h"

namespace vantro::probe {

// Why a stream ended before its end.
struct Trouble {
  Verdict verdict = Verdict::kUnknown;
  std::string finding;
};

class Stream {
 public:
  virtual ~Stream() = default;
  // The next bytes, valid until the next call; empty at the end, and always after it.
  virtual base::ByteView next() = 0;
  // Set if it ended too early.
  const std::optional<Trouble>& trouble() const { return trouble_; }

 protected:
  std::optional<Trouble> trouble_;
};

// The file unchanged. `source` must outlive it.
std::unique_ptr<Stream> file_stream(const Source& source);

// A stream whose first bytes can be read in advance.
class Peekable final : public Stream {
 public:
  explicit Peekable(std::unique_ptr<Stream> below) : below_(std::move(below)) {}
  // The first `count` bytes, or all if there are fewer. Before the first next().
  base::ByteView peek(std::size_t count);
  base::ByteView next() override;

 private:
  std::unique_ptr<Stream> below_;
  base::ByteBuffer head_;
  bool head_given_ = false;
};

// The outermost compression, from the first bytes: its name ("gzip", "xz", "bzip2",
// "zstd") or nothing.
std::optional<std::string> compression_of(base::ByteView head);

// Unpacks, and compares the check values with the bytes. `source` and its limits must
// outlive it.
std::unique_ptr<Stream> unpack(const std::string& compression,
                               std::unique_ptr<Stream> below, const Source& source);

}  // namespace vantro::probe
