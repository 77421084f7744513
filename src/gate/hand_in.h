// Hand-ins to intake/ from an account that may do that: an image, or a checksum list for
// it. The content of the complete file decides which.
#pragma once

#include <string>
#include <vector>

#include "crypto/checksum_list.h"
#include "gate/intake.h"
#include "gate/write_sink.h"

namespace vantro::gate {

class HandedFile final : public WriteSink {
 public:
  static constexpr std::size_t kLongestList = 1 << 20;
  static constexpr std::size_t kMostListsKept = 64;  // of one account
  static constexpr int kListsKeptDays = 7;

  HandedFile(Workings& workings, std::string account, const Announced& announced,
             ImageIntake intake);

  base::Outcome<void> write(base::ByteView bytes) override;
  base::Outcome<void> sync() override { return intake_.sync(); }
  void expect(const std::vector<crypto::Expected>& digests) override {
    intake_.expect(digests);
  }
  base::Outcome<Filed> commit() override;
  void abandon(State how, const std::string& why, bool keep) override;
  const Transfer& transfer() const override { return intake_.transfer(); }

 private:
  // Like every intake, compared with the lists that the same account has handed in
  // lately.
  base::Outcome<Filed> file_image();
  base::Outcome<std::vector<Claim>> claims() const;
  // Kept until its images arrive, and compared at once with earlier images of the
  // account.
  base::Outcome<Filed> keep_list();
  base::Outcome<void> keep_list(db::Transaction& transaction,
                                const std::string& text) const;

  Workings& workings_;
  std::string account_;
  ImageIntake intake_;
};

}  // namespace vantro::gate
