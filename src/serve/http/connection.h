// One connection: request after request, each answered before the next is read.
//
//   kHandshake -> kHead -> kAsking -> kSending ------------> kHead ...
//                            |  ^                    | close: kLingering -> kClosed
//                            v  |
//                         kReceiving -> kCommitting
//
// A fetch is complete when the client's system has acknowledged its last byte, which is
// often after the next request has begun: until then its transfer is parked.
#pragma once

#include <deque>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "base/clock.h"
#include "gate/gate.h"
#include "serve/conversation.h"
#include "serve/event_loop.h"
#include "serve/file_window.h"
#include "serve/http/answer.h"
#include "serve/http/request.h"
#include "serve/http/server.h"
#include "serve/tcp_lane.h"
#include "serve/tcp_stream.h"
#include "serve/upload_feed.h"
#include "wire/http/target.h"

namespace vantro::serve::http {

// The lane must outlive it.
class Connection final : public Conversation, public EventLoop::Source {
 public:
  Connection(TcpLane& lane, const Patience& patience, base::UniqueFd socket,
             std::unique_ptr<crypto::TlsChannel> tls, gate::Asker asker);
  ~Connection() override;

  bool start() override;
  void tick(base::Instant now) override;
  void wind_up() override;
  void cut(const std::string& why) override;

  void readable() override;
  void writable() override;
  void broken() override;

 private:
  enum class State {
    kHandshake,
    kHead,
    kAsking,
    kSending,
    kReceiving,
    kCommitting,
    kLingering,
    kClosed,
  };
  // Sent to its last byte, and not acknowledged yet.
  struct Parked {
    std::shared_ptr<gate::ReadGrant> grant;
    std::uint64_t begins = 0;  // its body, counted in bytes of the stream
    std::uint64_t ends = 0;
  };

  void handshake();
  void read_head();
  void process();
  void take_request();
  void log_in(const wire::http::Credentials& credentials);
  void dispatch();
  void fetch();
  void begin_upload();
  void opened(base::Outcome<gate::WriteGrant> grant);
  void receive();
  std::optional<std::size_t> read_body(std::span<std::uint8_t> to);
  bool receive_counted();
  bool receive_chunked();
  void written(const base::Outcome<void>& result);
  void finish_body();
  void discard();

  void answer(Answer answer);
  void answer_and_close(Answer answer);
  void pump();
  bool went_out(const TcpStream::Moved& moved);
  bool send_text(const std::string& text);
  bool send_file(Piece& piece);
  void sent_out();
  void check_parked();
  std::uint64_t acknowledged() const;
  gate::Movement movement(std::uint64_t begins, std::uint64_t ends) const;
  void close(gate::State how, const std::string& why);

  void want(bool read, bool write);
  // For answers of the pools: back to this thread.
  template <class F>
  void on_lane(F work) {
    loop_->post([self = self(), work = std::move(work)]() mutable { work(*self); });
  }
  std::shared_ptr<Connection> self() {
    return std::static_pointer_cast<Connection>(shared_from_this());
  }
  base::Instant now() const;

  static constexpr const char* kGone =
      "the client closed the connection before it had all of it";

  TcpLane& lane_;
  std::shared_ptr<EventLoop> loop_;
  TcpShared& shared_;
  const Patience patience_;
  TcpStream stream_;
  gate::Asker asker_;  // without the account
  std::optional<EventLoop::Id> watched_;
  EventLoop::Wanted wanted_;
  State state_ = State::kHead;
  bool winding_up_ = false;
  bool processing_ = false;
  base::Instant moved_at_;  // the last time that something went forward
  base::Instant head_began_{};

  // The request.
  base::ByteBuffer in_;
  std::unique_ptr<RequestReader> reader_;
  wire::http::Target target_;
  wire::http::Form form_ = wire::http::Form::kText;
  gate::Asker who_;  // with the account
  bool keep_alive_ = false;

  // An upload.
  std::shared_ptr<UploadFeed> upload_;
  std::uint64_t body_left_ = 0;  // of a counted body

  // The answer.
  Answer answer_;
  std::string head_;
  std::deque<Piece> out_;
  std::size_t text_sent_ = 0;      // of the first piece's text
  std::uint64_t body_begins_ = 0;  // in bytes of the stream
  std::unique_ptr<FileWindow> file_;
  bool waiting_for_disk_ = false;
  std::uint64_t acknowledged_ = 0;  // when it was last looked
  std::vector<Parked> parked_;
  base::Instant linger_until_{};
};

}  // namespace vantro::serve::http
