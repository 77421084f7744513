// The bodies of calls: a text held in memory, or an image on its way to the gate.
#pragma once

#include <functional>
#include <memory>
#include <string>

#include "gate/intake.h"
#include "manage/routes.h"
#include "net/disk_feed.h"
#include "net/http/connection.h"

namespace vantro::manage {

struct CallDesk;

// A longer text is refused.
class TextBody final : public net::http::Body {
 public:
  // `announced`: its size, if known. `most`: its limit in bytes.
  TextBody(net::http::Connection& connection, std::uint64_t announced,
           std::function<void(std::string)> whole, std::size_t most = kLongestBody);

  bool waits() const override { return too_long_; }
  std::span<std::uint8_t> room() override;
  void came(std::size_t count) override;
  std::uint64_t size() const override { return text_.size(); }
  void complete(const net::http::Head& trailer) override;
  void broke_off(net::http::End how, const std::string& why) override;

 private:
  void refuse();

  net::http::Connection& connection_;  // holds it
  std::function<void(std::string)> whole_;
  const std::size_t most_;
  base::ByteBuffer piece_;
  std::string text_;
  bool too_long_ = false;
};

class ImageBody final : public net::http::Body {
 public:
  ImageBody(net::http::Connection& connection, std::shared_ptr<const CallDesk> desk,
            gate::ImageIntake intake, bool compared);

  bool waits() const override;
  std::span<std::uint8_t> room() override;
  void came(std::size_t count) override;
  void pause() override;
  std::uint64_t size() const override;
  void complete(const net::http::Head& trailer) override;
  void broke_off(net::http::End how, const std::string& why) override;

 private:
  class Feed;

  net::http::Connection& connection_;  // holds it
  std::shared_ptr<Feed> feed_;
};

}  // namespace vantro::manage
