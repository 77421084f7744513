// FTP's control connection: arbitrary bytes into lines, lines into a session, with
// answers of all kinds to what it asks for. The first byte says how the bytes are split.
#include <cstdint>
#include <cstdlib>
#include <string>
#include <string_view>

#include "wire/ftp/line_reader.h"
#include "wire/ftp/session.h"

namespace {

using namespace vantro;
using namespace vantro::wire::ftp;

void must(bool holds) {
  if (!holds) std::abort();
}

// What a client would read: whole lines, each a reply's.
void check(const Say& what) {
  must(what.text.ends_with("\r\n"));
  for (std::size_t at = 0; at < what.text.size();) {
    const auto end = what.text.find("\r\n", at);
    const auto line = std::string_view(what.text).substr(at, end - at);
    must(line.find_first_of(std::string_view("\r\n\0", 3)) == std::string_view::npos);
    must(!line.empty());
    must(line[0] == ' ' || (line[0] >= '1' && line[0] <= '5' && line.size() >= 4));
    at = end + 2;
  }
}

void check(const std::string& path) {
  must(path.starts_with('/') && (path.size() == 1 || !path.ends_with('/')));
  must((path + "/").find("/../") == std::string::npos);
}

class Harness {
 public:
  Harness() : session_(config()) { step(Started{}); }

  void came(const LineReader::Line& line) {
    if (ended_) return;
    if (line.too_long) return step(CameTooLong{});
    const auto command = parse_command(line.text);
    if (!session_.takes(command)) {
      // It waits for a transfer: that ends now, one way or the other.
      if (++turn_ % 2 == 0) {
        Actions actions;
        session_.abort_ahead(actions);
        carry_out(actions);
      } else {
        step(Ended{Ended::How::kDone, "Done", {}});
      }
      must(session_.takes(command));
    }
    step(Came{command});
  }

 private:
  static SessionConfig config() {
    SessionConfig config;
    config.peer = *base::Endpoint::parse("192.0.2.7:40000");
    config.tls = true;
    return config;
  }
  void step(const Event& event) {
    now_ += std::chrono::milliseconds(10);
    Actions actions;
    session_.step(event, now_, 1'790'000'000'000, actions);
    carry_out(actions);
  }
  void carry_out(const Actions& actions) {
    for (const auto& action : actions) {
      if (const auto* say = std::get_if<Say>(&action)) check(*say);
      if (const auto* look = std::get_if<Look>(&action)) {
        check(look->path);
        answer(Looked{Seen{{"x", ++turn_ % 2 == 0, 5, 0}, false, {}}});
      }
      if (const auto* open = std::get_if<Open>(&action)) {
        check(open->path);
        must(open->offset == 0 || !open->lines);
        answer(Opened{std::string("Sending")});
      }
      if (const auto* begin = std::get_if<Begin>(&action)) {
        must(!begin->to || begin->to->address == config().peer.address);
        must(!begin->to || begin->to->port >= 1024);
      }
      if (std::holds_alternative<CheckLogIn>(action)) {
        if (++turn_ % 3 == 0) {
          answer(LoggedIn{base::refuse(base::Kind::kAccountNeeded, "wrong")});
        } else {
          answer(LoggedIn{std::string()});
        }
      }
      if (std::holds_alternative<Listen>(action)) {
        answer(Listening{*base::Endpoint::parse("192.0.2.10:50000")});
      }
      if (std::holds_alternative<Close>(action)) ended_ = true;
    }
  }
  void answer(const Event& event) {
    step(event);
    // Slow answers are waited for.
    if (const auto deadline = session_.deadline();
        !session_.idle() && !session_.transfers() && deadline) {
      now_ = *deadline;
      step(DeadlinePassed{});
    }
  }

  Session session_;
  base::Instant now_{};
  int turn_ = 0;
  bool ended_ = false;
};

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  if (size < 1) return 0;
  const base::ByteView all(data + 1, size - 1);
  const std::size_t piece = data[0] == 0 ? all.size() + 1 : data[0];
  LineReader reader, whole;
  Harness session;
  whole.feed(all);
  for (std::size_t at = 0; at < all.size(); at += piece) {
    reader.feed(all.subspan(at, std::min(piece, all.size() - at)));
    must(reader.take_answers().size() <= 99);
    while (const auto line = reader.next()) {
      must(line->text.size() <= LineReader::kLongestLine);
      // The same lines, however the bytes came.
      const auto same = whole.next();
      must(same && same->text == line->text && same->too_long == line->too_long);
      session.came(*line);
    }
  }
  must(!whole.next());
  return 0;
}
