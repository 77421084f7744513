// Bytes that are unpacked as they are read, in layers: file -> gzip -> what is in it.
#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <string>

#include "base/bytes.h"
#include "probe/report.h"
#include "probe/source.h"

namespace vantro::probe {

// What ended a stream before its end.
struct Trouble {
  Verdict verdict = Verdict::kUnknown;
  std::string finding;
};

class Stream {
 public:
  virtual ~Stream() = default;
  // The next bytes, valid until the next call; empty at the end, and for ever then.
  virtual base::ByteView next() = 0;
  // Set if it ended in a bad way.
  const std::optional<Trouble>& trouble() const { return trouble_; }

 protected:
  std::optional<Trouble> trouble_;
};

// The file as it is. `source` must outlive it.
std::unique_ptr<Stream> file_stream(const Source& source);

// A stream whose first bytes can be looked at.
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

// What is unpacked next, told by the first bytes: its name ("gzip", "xz", "bzip2",
// "zstd") or nothing.
std::optional<std::string> compression_of(base::ByteView head);

// Unpacks, and holds the check values against the bytes. `source` and its limits must
// outlive it.
std::unique_ptr<Stream> unpack(const std::string& compression,
                               std::unique_ptr<Stream> below, const Source& source);

}  // namespace vantro::probe
