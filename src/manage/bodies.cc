#include "manage/bodies.h"

#include "api/json.h"
#include "base/sizes.h"
#include "crypto/digests.h"
#include "manage/answers.h"
#include "manage/call_handler.h"
#include "manage/convert_catalogue.h"

namespace vantro::manage {
namespace {

using base::Kind;
using net::http::Answer;
using net::http::Connection;

constexpr std::size_t kPiece = 64 * 1024;

Answer refusal_and_close(const base::Refusal& why) {
  auto answer = refusal(why);
  answer.close = true;
  return answer;
}

}  // namespace

// -- A text --

TextBody::TextBody(Connection& connection, std::uint64_t announced,
                   std::function<void(std::string)> whole, std::size_t most)
    : connection_(connection), whole_(std::move(whole)), most_(most) {
  if (announced > most_) refuse();
}

void TextBody::refuse() {
  too_long_ = true;
  // Not from within the connection's own call.
  connection_.on_lane([most = most_](Connection& connection) {
    connection.answer(refusal_and_close(
        {Kind::kTooLarge, "the body is larger than " + base::size_text(most)}));
  });
}

std::span<std::uint8_t> TextBody::room() {
  piece_.resize(kPiece);
  return piece_;
}

void TextBody::came(std::size_t count) {
  text_.append(base::as_text(base::ByteView(piece_).first(count)));
  if (!too_long_ && text_.size() > most_) refuse();
}

void TextBody::complete(const net::http::Head& /*trailer*/) {
  if (!too_long_) whole_(std::move(text_));
}

void TextBody::broke_off(net::http::End /*how*/, const std::string& /*why*/) {}

// -- An image --

class ImageBody::Feed final : public net::DiskFeed {
 public:
  Feed(Connection& connection, std::shared_ptr<const CallDesk> desk,
       gate::ImageIntake intake, bool compared, Written written)
      : DiskFeed(desk->disk, connection.poster(), std::move(written)),
        connection_(connection.self()),
        desk_(std::move(desk)),
        intake_(std::move(intake)),
        compared_(compared) {}

  // The look inside may take a minute: not among the short work of the disk pool.
  void commit() {
    forget();
    behind([self = self()] {
      self->desk_->pools.slow.post([self] {
        const auto taken = self->intake_->commit();
        const auto made = std::make_shared<Answer>(
            taken ? self->answer_to(*taken) : self->not_taken_in(taken.error()));
        self->connection_->on_lane(
            [made](Connection& asked) { asked.answer(std::move(*made)); });
      });
    });
  }

  // Ended on the pool, as it uses the disk.
  void drop() {
    forget();
    behind([self = self()] { self->intake_.reset(); });
  }

 private:
  base::Outcome<void> write(base::ByteView piece) override {
    return intake_->write(piece);
  }
  std::shared_ptr<Feed> self() {
    return std::static_pointer_cast<Feed>(shared_from_this());
  }

  Answer answer_to(const gate::Taken& taken) const {
    const bool there = taken.added.what == catalog::Added::What::kAlreadyThere;
    const auto added = shape(taken, compared_, *desk_->service.repository.offer_index());
    return text(there ? 200 : 201, kJsonType, api::json_of(added));
  }

  Answer not_taken_in(const base::Refusal& why) const {
    const auto& differing = intake_->differing();
    return unfit(
        why, differing,
        differing ? crypto::value_of(intake_->digests(), differing->algorithm) : "");
  }

  const std::shared_ptr<Connection> connection_;
  const std::shared_ptr<const CallDesk> desk_;
  std::optional<gate::ImageIntake> intake_;  // used on the pool, in order
  const bool compared_;
};

ImageBody::ImageBody(Connection& connection, std::shared_ptr<const CallDesk> desk,
                     gate::ImageIntake intake, bool compared)
    : connection_(connection) {
  feed_ = std::make_shared<Feed>(connection, std::move(desk), std::move(intake), compared,
                                 [this](const base::Outcome<void>& written) {
                                   if (written) return connection_.go_on();
                                   // The answer ends this body.
                                   const auto alive = connection_.self();
                                   alive->answer(refusal_and_close(written.error()));
                                 });
}

bool ImageBody::waits() const { return feed_->waits(); }
std::span<std::uint8_t> ImageBody::room() { return feed_->room(); }
void ImageBody::came(std::size_t count) { feed_->came(count); }
void ImageBody::pause() { feed_->pause(); }
std::uint64_t ImageBody::size() const { return feed_->size(); }
void ImageBody::complete(const net::http::Head& /*trailer*/) { feed_->commit(); }
void ImageBody::broke_off(net::http::End /*how*/, const std::string& /*why*/) {
  feed_->drop();
}

}  // namespace vantro::manage
