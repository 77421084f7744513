// What becomes of a device's or a colleague's upload: one class for each kind. WriteGrant
// holds one of them; protocols see no difference.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "gate/grants.h"

namespace vantro::gate {

class WriteSink {
 public:
  virtual ~WriteSink() = default;
  virtual base::Outcome<void> write(base::ByteView bytes) = 0;
  // The bytes so far are on disk when this returns a value.
  virtual base::Outcome<void> sync() = 0;
  // More digests to compare with, before commit().
  virtual void expect(const std::vector<crypto::Expected>& digests) = 0;
  // For records that say how an upload ended.
  virtual void ended(Ending /*ending*/) {}
  // On disk when this returns a value. Called once, unless a write() was refused.
  virtual base::Outcome<Filed> commit() = 0;
  // It was interrupted, or commit() was refused. `keep` is false if a write() was
  // refused.
  virtual void abandon(State how, const std::string& why, bool keep) = 0;
  virtual const Transfer& transfer() const = 0;
};

// The announced digest that the bytes do not have, if any; and the sentence about it.
// REQUIRES: those of the announced kinds are there (store::Arrival::add_missing()).
std::optional<crypto::Expected> differing(const crypto::Digests& digests,
                                          const std::vector<crypto::Expected>& expected);
base::Refusal differs(const crypto::Digests& digests, const crypto::Expected& expected);

}  // namespace vantro::gate
