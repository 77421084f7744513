// The disk's side of what a mirror fetches: pieces go into a part, and a whole part into
// the vault with the rows that waited for it.
#pragma once

#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

#include "base/outcome.h"
#include "mirror/adoption.h"
#include "mirror/chunks.h"
#include "mirror/follower.h"
#include "mirror/source.h"
#include "repository/repository.h"

namespace vantro::mirror {

// For one thread at a time. The others must outlive it.
class Parts {
 public:
  Parts(repository::Repository& repository, Adoption& adoption)
      : repository_(repository), adoption_(adoption) {}

  // At the program's start. The power may have failed: the last piece of each part is
  // fetched again, as nothing proves that it is on the disk.
  base::Outcome<void> open();

  // What is wanted, with the bytes that are here; parts of others are removed.
  base::Outcome<std::vector<Lacking>> lacking();

  // Adds a piece. It is on disk when this returns the content's size so far. kMismatch:
  // the part does not end at this offset.
  base::Outcome<std::uint64_t> write(const FetchPiece& piece, base::ByteView bytes);
  base::Outcome<std::uint64_t> copy(const CopyPiece& piece);
  // From the packed chunks of the content, and those of images here.
  base::Outcome<std::vector<Span>> plan(const std::string& sha256,
                                        std::string_view packed);
  // kMismatch: its bytes are other ones, and were thrown away.
  base::Outcome<void> file(const std::string& sha256);

 private:
  base::Outcome<std::uint64_t> add(const std::string& sha256, std::uint64_t offset,
                                   base::ByteView bytes);
  base::Outcome<Wanted> wanted(const std::string& sha256) const;

  repository::Repository& repository_;
  Adoption& adoption_;
};

}  // namespace vantro::mirror
