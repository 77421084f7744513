// A dialogue of one sentence: for a request that is not supported here.
#pragma once

#include <string>
#include <utility>

#include "wire/dialogue.h"

namespace vantro::wire {

class Notice final : public Dialogue {
 public:
  explicit Notice(std::string sentence) : sentence_(std::move(sentence)) {}

  bool wants() const override { return false; }
  void take(base::ByteView) override {}
  void input_ended(InputEnd) override {}
  void say(base::ByteBuffer&, std::size_t) override {}
  void synced(FileHandle, const base::Outcome<void>&) override {}
  void filed(FileHandle, const base::Outcome<void>&) override {}
  void quiet() override {}
  std::string remark() override { return std::exchange(sentence_, {}); }
  std::optional<int> over() const override { return 1; }

 private:
  std::string sentence_;
};

}  // namespace vantro::wire
