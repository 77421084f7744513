// One HTTP connection: request after request, each answered before the next is read.
//
//   kHandshake -> kHead -> kAsking -> kSending ------------> kHead ...
//                            |  ^         |          | close: kLingering -> kClosed
//                            v  |         v endless
//                         kReceiving   kStreaming
//                            v
//                        kCompleting -> (the answer)
//
// A body has arrived when the client's system has acknowledged its last byte, which is
// often after the next request has begun: until then its delivery is parked.
#pragma once

#include <deque>
#include <functional>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "base/clock.h"
#include "net/conversation.h"
#include "net/event_loop.h"
#include "net/file_window.h"
#include "net/http/answer.h"
#include "net/http/handler.h"
#include "net/http/request.h"
#include "net/tcp_lane.h"
#include "net/tcp_stream.h"

namespace vantro::net::http {

struct Patience {
  base::Duration head = std::chrono::seconds(20);   // for a whole head
  base::Duration idle = std::chrono::seconds(60);   // between two requests
  base::Duration stall = std::chrono::seconds(60);  // without progress in a body
};

// The lane must outlive it. For the lane's thread, except poster().
class Connection final : public Conversation, public EventLoop::Source {
 public:
  Connection(TcpLane& lane, const Patience& patience, Accepted accepted);
  ~Connection() override;
  // Before start().
  void handle_with(std::unique_ptr<Handler> handler) { handler_ = std::move(handler); }

  bool start() override;
  void tick(base::Instant now) override;
  void wind_up() override;
  void cut(const std::string& why) override;

  void readable() override;
  void writable() override;
  void broken() override;

  // For the handler. If the connection has closed meanwhile, each of the four ends what
  // it was given.
  void answer(Answer answer);
  void receive(std::unique_ptr<Body> body);
  void go_on();  // the body can continue
  void stream(std::shared_ptr<const std::string> text);

  TcpLane& lane() { return lane_; }
  // False: it has closed, and nobody waits for an answer.
  bool is_open() const { return state_ != State::kClosed; }
  std::function<void(std::function<void()>)> poster() const { return loop_->poster(); }
  // Runs it on the lane's thread; this connection lives until then.
  template <class F>
  void on_lane(F work) {
    loop_->post([self = self(), work = std::move(work)]() mutable { work(*self); });
  }
  std::shared_ptr<Connection> self() {
    return std::static_pointer_cast<Connection>(shared_from_this());
  }

  static constexpr const char* kGone =
      "the client closed the connection before it had received everything";

 private:
  enum class State {
    kHandshake,
    kHead,
    kAsking,
    kReceiving,
    kCompleting,
    kSending,
    kStreaming,
    kLingering,
    kClosed,
  };
  // Sent to its last byte, and not yet acknowledged.
  struct Parked {
    std::shared_ptr<Delivery> delivery;
    std::uint64_t begins = 0;  // its body, counted in bytes of the stream
    std::uint64_t ends = 0;
  };

  void handshake();
  void read_head();
  void process();
  void take_request();
  void take_body();
  std::optional<std::size_t> read_body(std::span<std::uint8_t> to);
  bool receive_counted();
  bool receive_chunked();
  void body_ended();
  void drop_body(End how, const std::string& why);
  void discard();

  void answer_and_close(Answer answer);
  void pump();
  bool went_out(const TcpStream::Moved& moved);
  bool send_text(const Piece& piece);
  bool send_file(Piece& piece);
  void ask_for_more();
  void sent_out();
  void linger();
  void peer_has_ended();
  void check_parked();
  std::uint64_t acknowledged() const;
  void tell(Delivery& delivery, std::uint64_t begins, std::uint64_t ends) const;
  void close(End how, const std::string& why);

  void want(bool read, bool write);
  base::Instant now() const;

  TcpLane& lane_;
  std::shared_ptr<EventLoop> loop_;
  TcpShared& shared_;
  const Patience patience_;
  TcpStream stream_;
  const base::Address peer_;
  std::unique_ptr<Handler> handler_;
  std::optional<EventLoop::Id> watched_;
  EventLoop::Wanted wanted_;
  State state_;
  bool winding_up_ = false;
  bool processing_ = false;
  base::Instant moved_at_;  // the last progress
  base::Instant head_began_{};

  // The request.
  base::ByteBuffer in_;
  std::unique_ptr<RequestReader> reader_;
  bool keep_alive_ = false;
  std::unique_ptr<Body> body_;
  bool body_taken_ = false;      // to its end
  std::uint64_t body_left_ = 0;  // of a counted body

  // The answer.
  Answer answer_;
  std::deque<Piece> out_;
  std::size_t text_sent_ = 0;      // of the first piece's text
  std::uint64_t body_begins_ = 0;  // in bytes of the stream
  std::unique_ptr<FileWindow> file_;
  bool waiting_for_disk_ = false;
  bool chunked_ = false;            // the rest goes in chunks
  std::size_t queued_ = 0;          // waiting bytes of a stream
  std::uint64_t acknowledged_ = 0;  // at the last check
  std::vector<Parked> parked_;
  base::Instant linger_until_{};
};

}  // namespace vantro::net::http
