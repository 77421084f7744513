// An image: bytes that never change, and what is known about them.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "base/clock.h"
#include "base/outcome.h"
#include "catalog/facts.h"
#include "crypto/digests.h"
#include "db/database.h"

namespace vantro::catalog {

// Whether the image's checksums agree with its maker's.
enum class Vouching {
  kUnvouched,     // nobody has compared them
  kWeakly,        // they agree, but only MD5 or SHA-1 was compared: both can be forged
  kVouched,       // they agree
  kContradicted,  // one differs
};

// "unvouched", "vouched-weakly", "vouched", "contradicted"
const char* word(Vouching vouching);
std::optional<Vouching> vouching_of(const std::string& word);

struct Withdrawal {
  base::WallTime at = 0;
  std::string why;  // the reason that devices are told
};

// Why the server withdraws an image whose sender disappeared before it got the reply:
// perhaps it had not sent everything.
inline constexpr const char* kEndNotConfirmed =
    "upload end not confirmed: the client was gone before it got the reply";

// In the change log, with the image's number: its facts, its names, its vouches, or its
// storage.
inline constexpr const char* kImageChanged = "image";

struct Image {
  std::int64_t id = 0;
  std::string name;  // the name under which it was added first
  std::uint64_t size = 0;
  crypto::Digests digests;
  base::WallTime taken_in_at = 0;
  std::string taken_in_by;
  Facts facts;
  Vouching vouching = Vouching::kUnvouched;
  std::optional<Withdrawal> withdrawal;
  bool whole = true;  // when it was last read
  base::WallTime read_at =
      0;                // when its SHA-256 was last verified; it was right on arrival
  std::string verdict;  // of the look inside (probe/report.h); empty: none yet
  std::string kind;
  std::vector<std::string> findings;
  std::uint64_t members_in_all = 0;
  bool offered = false;  // it has an offer; the index decides whether a device gets it

  // It is withdrawn as perhaps not whole. The same bytes again settle that, and others
  // may take its name.
  bool in_doubt() const { return withdrawal && withdrawal->why == kEndNotConfirmed; }
};

// The columns of table images "i" that image_of() reads, from the given one on.
extern const std::string kImageColumns;
inline constexpr std::size_t kImageColumnCount = 30;
Image image_of(const db::Row& row, std::size_t from = 0);

// kBusy: a digest of a large image is needed that is not computed yet.
base::Refusal digest_follows(const std::string& name, crypto::Algorithm algorithm);

// Lists in one column.
std::string joined_lines(const std::vector<std::string>& lines);
std::vector<std::string> split_lines(const std::string& text);

}  // namespace vantro::catalog
