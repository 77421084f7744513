#include "serve/http/upload.h"

#include "serve/http/answer.h"

namespace vantro::serve::http {

using net::http::Connection;
using net::http::End;

gate::State state_of(End how) {
  switch (how) {
    case End::kComplete:
      return gate::State::kComplete;
    case End::kGone:
      return gate::State::kAbandoned;
    case End::kCut:
      return gate::State::kFailed;
  }
  return gate::State::kFailed;
}

Upload::Upload(Connection& connection, std::shared_ptr<Shared> shared,
               gate::WriteGrant grant, wire::http::Form form)
    : connection_(connection), shared_(std::move(shared)), form_(form) {
  feed_ = std::make_shared<UploadFeed>(
      *shared_, connection.poster(), std::move(grant),
      [this](const base::Outcome<void>& result) {
        if (result) return connection_.go_on();
        refused_ = true;
        feed_->abandon(gate::State::kFailed, result.error().sentence);
        auto refused = refusal_answer(result.error(), form_);
        refused.close = true;
        // The answer ends this body.
        const auto alive = connection_.self();
        alive->answer(std::move(refused));
      });
}

void Upload::still_coming(bool stalled) {
  feed_->transfer().advance({feed_->size(), 0, stalled ? 1u : 0u});
}

void Upload::complete(const net::http::Head& trailer) {
  // A sender that computes it on the way can give it only after the body (RFC 9530, 3).
  auto digests = announced_digests(trailer);
  if (!digests) {
    feed_->abandon(gate::State::kAbandoned, digests.error().sentence);
    auto refused = refusal_answer(digests.error(), form_);
    refused.close = true;
    connection_.answer(std::move(refused));
    return;
  }
  feed_->expect(std::move(*digests));
  // The services must outlive the feed.
  feed_->commit([connection = connection_.self(), shared = shared_,
                 form = form_](const base::Outcome<gate::Filed>& filed) {
    connection->answer(filed ? filed_answer(*filed, form)
                             : refusal_answer(filed.error(), form));
  });
}

void Upload::broke_off(End how, const std::string& why) {
  if (!refused_) feed_->abandon(state_of(how), why);
}

}  // namespace vantro::serve::http
