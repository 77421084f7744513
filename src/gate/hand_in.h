// What comes into intake/ from an account that may hand in: an image, or the checksum
// list that it is to be held against.
#pragma once

#include <string>
#include <vector>

#include "crypto/checksum_list.h"
#include "gate/intake.h"
#include "gate/write_sink.h"

namespace vantro::gate {

// An image. It goes the way of every intake; the lists that the same account has handed
// in lately are what it is compared with.
class HandedImage final : public WriteSink {
 public:
  HandedImage(Workings& workings, std::string account, Announced announced,
              ImageIntake intake);

  base::Outcome<void> write(base::ByteView bytes) override;
  base::Outcome<void> sync() override { return intake_.sync(); }
  void expect(const std::vector<crypto::Expected>& digests) override {
    announced_.expect(digests);
  }
  base::Outcome<Filed> commit() override;
  void abandon(State how, const std::string& why, bool keep) override;
  const Transfer& transfer() const override { return intake_.transfer(); }

 private:
  base::Outcome<std::vector<Claim>> claims() const;

  Workings& workings_;
  std::string account_;
  Announced announced_;
  ImageIntake intake_;
};

// A checksum list: kept until its image comes, or held at once against what the same
// account has handed in before.
class HandedList final : public WriteSink {
 public:
  static constexpr std::size_t kLongest = 1 << 20;
  static constexpr std::size_t kMostKept = 64;  // of one account
  static constexpr int kKeptDays = 7;

  // `name` is the list's own, without intake/.
  HandedList(Workings& workings, std::string account, std::string name,
             Announced announced, Transfer transfer);

  base::Outcome<void> write(base::ByteView bytes) override;
  // In memory until it is filed.
  base::Outcome<void> sync() override { return {}; }
  void expect(const std::vector<crypto::Expected>& digests) override {
    announced_.expect(digests);
  }
  base::Outcome<Filed> commit() override;
  void abandon(State how, const std::string& why, bool keep) override;
  const Transfer& transfer() const override { return transfer_; }

 private:
  // Against what is there already. A sentence about it.
  base::Outcome<std::string> hold_against_images(const crypto::ChecksumList& list) const;

  Workings& workings_;
  std::string account_;
  std::string name_;
  Announced announced_;
  std::string text_;
  Transfer transfer_;
};

}  // namespace vantro::gate
