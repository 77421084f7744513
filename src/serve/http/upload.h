// A request's body on its way through the grant.
#pragma once

#include <memory>
#include <string>

#include "gate/gate.h"
#include "net/http/connection.h"
#include "serve/shared.h"
#include "serve/upload_feed.h"
#include "wire/http/fields.h"

namespace vantro::serve::http {

class Upload final : public net::http::Body {
 public:
  Upload(net::http::Connection& connection, std::shared_ptr<Shared> shared,
         gate::WriteGrant grant, wire::http::Form form);

  bool waits() const override { return feed_->waits(); }
  std::span<std::uint8_t> room() override { return feed_->room(); }
  void came(std::size_t count) override { feed_->came(count); }
  void pause() override { feed_->pause(); }
  std::uint64_t size() const override { return feed_->size(); }
  void still_coming(bool stalled) override;
  void complete(const net::http::Head& trailer) override;
  void broke_off(net::http::End how, const std::string& why) override;

 private:
  net::http::Connection& connection_;  // holds it
  std::shared_ptr<Shared> shared_;     // the feed works with it
  const wire::http::Form form_;
  std::shared_ptr<UploadFeed> feed_;
  bool refused_ = false;
};

// How a body's end is recorded.
gate::State state_of(net::http::End how);

}  // namespace vantro::serve::http
