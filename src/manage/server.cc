#include "manage/server.h"

#include <boost/asio/awaitable.hpp>
#include <boost/asio/co_spawn.hpp>
#include <boost/asio/detached.hpp>
#include <boost/asio/ip/tcp.hpp>
#include <boost/asio/redirect_error.hpp>
#include <boost/asio/steady_timer.hpp>
#include <boost/asio/use_awaitable.hpp>
#include <boost/asio/write.hpp>
#include <boost/beast/core/flat_buffer.hpp>
#include <boost/beast/core/tcp_stream.hpp>
#include <boost/beast/http.hpp>
#include <cerrno>
#include <fcntl.h>
#include <filesystem>
#include <fmt/format.h>
#include <map>
#include <set>
#include <sys/stat.h>
#include <unistd.h>

#include "api/problem.h"
#include "api/shapes.h"
#include "base/visible_name.h"
#include "crypto/digests.h"
#include "crypto/secret.h"
#include "manage/convert.h"
#include "manage/convert_catalogue.h"
#include "manage/image_routes.h"
#include "manage/routes.h"

namespace vantro::manage {
namespace {

namespace asio = boost::asio;
namespace beast = boost::beast;
namespace http = boost::beast::http;
using asio::ip::tcp;
using base::Kind;
using base::Refusal;
using boost::system::error_code;
using nlohmann::json;

constexpr std::size_t kMostConnections = 128;
constexpr std::size_t kPiece = 256 * 1024;  // of a body, read or sent at a time
constexpr std::uint32_t kLongestHeader = 16 * 1024;
constexpr std::chrono::seconds kPatience{30};  // for one read or write
constexpr std::chrono::seconds kLinger{2};
constexpr std::chrono::milliseconds kEventInterval{250};
constexpr std::chrono::seconds kHeartbeat{5};
constexpr std::size_t kMostChanges = 1000;  // told of at once
constexpr std::chrono::milliseconds kAcceptPause{100};
constexpr std::chrono::milliseconds kLongestAcceptPause{3200};

// Runs work on the pool and comes back to the caller's thread with what it gave. Work and
// result are kept in the caller's frame, which outlives the wait.
template <class F>
asio::awaitable<std::invoke_result_t<F>> on_pool(asio::io_context& pool, F work) {
  using Result = std::invoke_result_t<F>;
  std::optional<Result> result;
  const auto run = [&result, &work]() -> asio::awaitable<void> {
    result.emplace(work());
    co_return;
  };
  co_await asio::co_spawn(pool, run(), asio::use_awaitable);
  co_return std::move(*result);
}

using Response = http::response<http::string_body>;
using HeaderParser = http::request_parser<http::buffer_body>;

Response respond(int status, const char* type, std::string body, bool keep_alive) {
  Response response(http::int_to_status(static_cast<unsigned>(status)), 11);
  response.set(http::field::server, "vantrod");
  response.set(http::field::content_type, type);
  response.set(http::field::cache_control, "no-store");
  response.keep_alive(keep_alive);
  response.body() = std::move(body);
  response.prepare_payload();
  return response;
}

// Text from outside may be no UTF-8; a reply must not fail over it.
std::string dump(const json& value) {
  return value.dump(-1, ' ', false, json::error_handler_t::replace);
}

Response respond(const api::Problem& problem, bool keep_alive) {
  return respond(problem.status, api::kProblemType, dump(problem), keep_alive);
}

Response respond(const Refusal& refusal, bool keep_alive) {
  return respond(api::problem_of(refusal), keep_alive);
}

Response respond(const base::Outcome<json>& answer, bool keep_alive) {
  if (!answer) return respond(answer.error(), keep_alive);
  return respond(200, "application/json", dump(*answer), keep_alive);
}

Response respond(const gate::Taken& taken, bool compared,
                 const catalog::OfferIndex& index, bool keep_alive) {
  const api::ImageAdded answer = shape(taken, compared, index);
  const bool there = taken.added.what == catalog::Added::What::kAlreadyThere;
  return respond(there ? 200 : 201, "application/json", dump(answer), keep_alive);
}

Response not_taken_in(const Refusal& refusal, const gate::ImageIntake& intake,
                      bool keep_alive) {
  auto problem = api::problem_of(refusal);
  if (const auto& expected = intake.differing()) {
    problem.expected = expected->hex;
    problem.actual = crypto::value_of(intake.digests(), expected->algorithm);
  }
  return respond(problem, keep_alive);
}

// What to answer to bytes that are no HTTP; nothing if there is nobody to answer.
std::optional<Response> malformed(const error_code& error) {
  const bool ours =
      error.category() == http::make_error_code(http::error::bad_method).category();
  if (!ours || error == http::error::end_of_stream ||
      error == http::error::partial_message) {
    return std::nullopt;
  }
  return respond(
      Refusal{Kind::kInvalid, "this is no sound HTTP request: " + error.message()},
      false);
}

Response unauthorized() {
  api::Problem problem;
  problem.type = "urn:vantro:problem:unauthorized";
  problem.title = "The token is missing or wrong";
  problem.status = 401;
  problem.kind = "unauthorized";
  problem.detail =
      "the token is missing or wrong; it stands in the file 'token' of the server's "
      "state "
      "folder, and goes into 'Authorization: Bearer TOKEN'";
  auto response = respond(problem, false);
  response.set(http::field::www_authenticate, "Bearer");
  return response;
}

std::string_view view(beast::string_view text) { return {text.data(), text.size()}; }

}  // namespace

class Server::State : public std::enable_shared_from_this<State> {
 public:
  State(asio::io_context& io, asio::io_context& disk, asio::io_context& slow,
        Service& service, base::Log log, Config config)
      : io_(io),
        disk_(disk),
        slow_(slow),
        service_(service),
        log_(std::move(log)),
        config_(std::move(config)),
        routes_(make_routes(service)),
        acceptor_(io) {}

  int bind() {
    error_code error;
    const auto address = asio::ip::make_address(config_.listen.address.text(), error);
    if (error) return error.value();
    const tcp::endpoint where(address, config_.listen.port);
    acceptor_.open(where.protocol(), error);
    if (!error) acceptor_.set_option(tcp::acceptor::reuse_address(true), error);
    if (!error) acceptor_.bind(where, error);
    if (!error) acceptor_.listen(asio::socket_base::max_listen_connections, error);
    return error.value();
  }

  base::Endpoint listening() const {
    error_code error;
    const auto where = acceptor_.local_endpoint(error);
    if (error) return {};
    return {base::Address::parse(where.address().to_string()).value_or(base::Address{}),
            where.port()};
  }

  void start() { asio::co_spawn(io_, accept(shared_from_this()), asio::detached); }

  void stop() {
    error_code ignored;
    stopped_ = true;
    acceptor_.close(ignored);
    for (auto* stream : idle_) stream->cancel();
  }

 private:
  // `self` keeps the state alive while a connection is served.
  asio::awaitable<void> accept(std::shared_ptr<State> self) {
    auto pause = kAcceptPause;
    while (!stopped_) {
      error_code error;
      tcp::socket socket(io_);
      co_await acceptor_.async_accept(socket,
                                      asio::redirect_error(asio::use_awaitable, error));
      if (stopped_) co_return;
      if (error) {
        // Out of descriptors, usually: trying again at once would spin. Wait, then go on.
        log_.warning("management: a connection can't be accepted",
                     {{"why", error.message()}});
        asio::steady_timer timer(io_, pause);
        co_await timer.async_wait(asio::redirect_error(asio::use_awaitable, error));
        pause = std::min(pause * 2, kLongestAcceptPause);
        continue;
      }
      pause = kAcceptPause;
      asio::co_spawn(io_, serve(self, std::move(socket)), asio::detached);
    }
  }

  asio::awaitable<void> serve([[maybe_unused]] std::shared_ptr<State> self,
                              tcp::socket socket) {
    beast::tcp_stream stream(std::move(socket));
    error_code error;
    stream.socket().set_option(tcp::no_delay(true), error);
    if (connections_ >= kMostConnections) {
      const auto busy =
          respond(Refusal{Kind::kBusy, "there are too many connections at once"}, false);
      co_await send(stream, busy);
      co_return;
    }
    ++connections_;
    try {
      beast::flat_buffer buffer(kLongestHeader + kPiece);
      while (!stopped_ && co_await one_call(stream, buffer)) {
      }
    } catch (const std::exception& failure) {
      log_.error("management: a call failed", {{"why", failure.what()}});
    }
    --connections_;
    co_await linger(stream);
  }

  // Closing with bytes unread resets the connection, and the client may lose the refusal
  // that it was sent. So what still comes is read for a moment.
  static asio::awaitable<void> linger(beast::tcp_stream& stream) {
    error_code error;
    stream.socket().shutdown(tcp::socket::shutdown_send, error);
    base::ByteBuffer rest(kPiece);
    stream.expires_after(kLinger);
    while (!error) {
      co_await stream.async_read_some(asio::buffer(rest),
                                      asio::redirect_error(asio::use_awaitable, error));
    }
  }

  // False: the connection is to be closed.
  asio::awaitable<bool> one_call(beast::tcp_stream& stream, beast::flat_buffer& buffer) {
    // A parser and a deadline of its own for every message of a connection.
    HeaderParser parser;
    parser.body_limit(boost::none);
    parser.header_limit(kLongestHeader);
    error_code error;
    stream.expires_after(kPatience);
    idle_.insert(&stream);
    co_await http::async_read_header(stream, buffer, parser,
                                     asio::redirect_error(asio::use_awaitable, error));
    idle_.erase(&stream);
    if (error) {
      const auto answer = malformed(error);
      if (answer) co_await send(stream, *answer);
      co_return false;
    }
    const auto& request = parser.get();
    const auto target = view(request.target());
    auto matched = match(routes_, view(request.method_string()), target);
    const bool open_to_all = matched && matched->route->permission == Permission::kAnyone;
    // Before anything is said about what there is.
    const auto authorization = view(request[http::field::authorization]);
    const bool sees_secrets = holds(authorization, config_.secrets_token);
    if (!open_to_all && !sees_secrets && !holds(authorization, config_.token)) {
      const auto refusal = unauthorized();
      co_await send(stream, refusal);
      co_return false;
    }
    if (!matched) {
      const auto refusal = respond(matched.error(), false);
      co_await send(stream, refusal);
      co_return false;
    }
    matched->call.may_see_secrets = sees_secrets;
    // Both tokens are the operator's.
    matched->call.caller = {"operator", "operator", peer_of(stream)};
    const auto& handler = matched->route->handler;
    if (std::holds_alternative<ImageUpload>(handler)) {
      co_return co_await image_upload(stream, buffer, parser, matched->call);
    }
    if (const auto* body_handler = std::get_if<BodyHandler>(&handler)) {
      co_return co_await call_with_body(stream, buffer, parser, *body_handler,
                                        matched->call, disk_);
    }
    if (const auto* slow_handler = std::get_if<SlowBodyHandler>(&handler)) {
      co_return co_await call_with_body(stream, buffer, parser, slow_handler->handler,
                                        matched->call, slow_);
    }
    // The others take no body; what comes all the same is not read.
    const bool keep_alive = request.keep_alive() && parser.is_done() && !stopped_;
    if (const auto* json_handler = std::get_if<JsonHandler>(&handler)) {
      // As text it goes on its way: the document takes several times as much memory, and
      // would stay until a slow client has read it all.
      const auto work = [&] {
        return respond((*json_handler)(matched->call), keep_alive);
      };
      const auto response = co_await on_pool(disk_, work);
      co_return co_await send(stream, response);
    }
    if (const auto* text_handler = std::get_if<TextHandler>(&handler)) {
      const auto work = [&] { return (*text_handler)(matched->call); };
      const auto text = co_await on_pool(disk_, work);
      const auto response =
          text ? respond(200, "text/plain; charset=utf-8", *text, keep_alive)
               : respond(text.error(), keep_alive);
      co_return co_await send(stream, response);
    }
    if (const auto* content_handler = std::get_if<ContentHandler>(&handler)) {
      const auto work = [&] { return (*content_handler)(matched->call); };
      const auto content = co_await on_pool(disk_, work);
      if (!content) {
        const auto refusal = respond(content.error(), keep_alive);
        co_return co_await send(stream, refusal);
      }
      co_return co_await send_content(stream, *content, keep_alive);
    }
    co_await event_stream(stream);
    co_return false;
  }

  static std::optional<base::Address> peer_of(beast::tcp_stream& stream) {
    error_code error;
    const auto peer = stream.socket().remote_endpoint(error);
    if (error) return std::nullopt;
    return base::Address::parse(peer.address().to_string());
  }

  static bool holds(std::string_view header, const std::string& token) {
    constexpr std::string_view kScheme = "bearer ";
    return base::folded(header.substr(0, kScheme.size())) == kScheme &&
           crypto::equal_secrets(header.substr(kScheme.size()), token);
  }

  // What is given to a co_await here is a named value, never a temporary: g++ 12 destroys
  // some temporaries of such an expression twice.
  static asio::awaitable<bool> send(beast::tcp_stream& stream, const Response& response) {
    error_code error;
    stream.expires_after(kPatience);
    co_await http::async_write(stream, response,
                               asio::redirect_error(asio::use_awaitable, error));
    co_return !error && response.keep_alive();
  }

  asio::awaitable<bool> send_content(beast::tcp_stream& stream, const Content& content,
                                     bool keep_alive) {
    http::response<http::empty_body> head(http::status::ok, 11);
    head.set(http::field::server, "vantrod");
    head.set(http::field::content_type, "application/octet-stream");
    head.content_length(content.size);
    if (!content.sha256.empty()) head.set("X-Vantro-SHA-256", content.sha256);
    head.keep_alive(keep_alive);
    http::response_serializer<http::empty_body> serializer(head);
    error_code error;
    stream.expires_after(kPatience);
    co_await http::async_write_header(stream, serializer,
                                      asio::redirect_error(asio::use_awaitable, error));
    base::ByteBuffer piece(kPiece);
    std::uint64_t sent = 0;
    while (!error && sent < content.size) {
      const auto read = [&] {
        return ::pread(content.file.get(), piece.data(),
                       std::min<std::uint64_t>(piece.size(), content.size - sent),
                       static_cast<off_t>(sent));
      };
      const auto count = co_await on_pool(disk_, read);
      // The length is promised: breaking off is the only way to say that it went wrong.
      if (count <= 0) co_return false;
      stream.expires_after(kPatience);
      co_await asio::async_write(
          stream, asio::buffer(piece.data(), static_cast<std::size_t>(count)),
          asio::redirect_error(asio::use_awaitable, error));
      sent += static_cast<std::uint64_t>(count);
    }
    co_return !error && keep_alive;
  }

  // The client that asks first is told to send its body (RFC 9110, 10.1.1).
  static asio::awaitable<error_code> let_come(beast::tcp_stream& stream,
                                              HeaderParser& parser) {
    error_code error;
    if (base::folded(view(parser.get()[http::field::expect])) == "100-continue") {
      static constexpr std::string_view kContinue = "HTTP/1.1 100 Continue\r\n\r\n";
      stream.expires_after(kPatience);
      co_await asio::async_write(stream, asio::buffer(kContinue),
                                 asio::redirect_error(asio::use_awaitable, error));
    }
    co_return error;
  }

  asio::awaitable<bool> call_with_body(beast::tcp_stream& stream,
                                       beast::flat_buffer& buffer, HeaderParser& parser,
                                       const BodyHandler& handler, const Call& call,
                                       asio::io_context& pool) {
    const Refusal too_long{Kind::kTooLarge, "the body is larger than 32 MiB"};
    std::string body;
    bool fits = parser.content_length().value_or(0) <= kLongestBody;
    error_code error;
    if (fits) error = co_await let_come(stream, parser);
    base::ByteBuffer piece(kPiece);
    while (!error && fits && !parser.is_done()) {
      auto& into = parser.get().body();
      into.data = piece.data();
      into.size = piece.size();
      stream.expires_after(kPatience);
      co_await http::async_read(stream, buffer, parser,
                                asio::redirect_error(asio::use_awaitable, error));
      if (error == http::error::need_buffer) error = {};
      body.append(reinterpret_cast<const char*>(piece.data()), piece.size() - into.size);
      fits = body.size() <= kLongestBody;
    }
    if (error) co_return false;
    if (!fits) {
      const auto refusal = respond(too_long, false);
      co_await send(stream, refusal);
      co_return false;
    }
    const bool keep_alive = parser.get().keep_alive() && !stopped_;
    const auto work = [&] { return respond(handler(call, body), keep_alive); };
    const auto response = co_await on_pool(pool, work);
    co_return co_await send(stream, response);
  }

  asio::awaitable<bool> image_upload(beast::tcp_stream& stream,
                                     beast::flat_buffer& buffer, HeaderParser& parser,
                                     const Call& call) {
    error_code error;
    auto options = intake_options(call);
    if (!options) {
      const auto refusal = respond(options.error(), false);
      co_await send(stream, refusal);
      co_return false;
    }
    if (parser.content_length()) options->size = *parser.content_length();
    const bool compared = !options->claims.empty();
    const auto open = [&] { return service_.gate.open_intake(std::move(*options)); };
    auto intake = co_await on_pool(disk_, open);
    if (!intake) {
      const auto response = respond(intake.error(), false);
      co_await send(stream, response);
      co_return false;
    }
    // Only now, so that a refusal costs no upload.
    error = co_await let_come(stream, parser);
    std::optional<Refusal> refusal;
    base::ByteBuffer piece(kPiece);
    while (!error && !refusal && !parser.is_done()) {
      auto& body = parser.get().body();
      body.data = piece.data();
      body.size = piece.size();
      stream.expires_after(kPatience);
      co_await http::async_read(stream, buffer, parser,
                                asio::redirect_error(asio::use_awaitable, error));
      if (error == http::error::need_buffer) error = {};
      if (error) break;
      const base::ByteView came(piece.data(), piece.size() - body.size);
      const auto write = [&] { return intake->write(came); };
      const auto written = co_await on_pool(disk_, write);
      if (!written) refusal = written.error();
    }
    if (error || refusal) {
      // Ended on the pool, as it touches the disk.
      const auto drop = [&] {
        const auto ended = std::move(*intake);
        return true;
      };
      co_await on_pool(disk_, drop);
      if (refusal) {
        const auto response = respond(*refusal, false);
        co_await send(stream, response);
      }
      co_return false;
    }
    const bool keep_alive = parser.get().keep_alive();
    // The look inside may take a minute: not among the short works of the disk pool.
    const auto commit = [&] { return intake->commit(); };
    const auto taken = co_await on_pool(slow_, commit);
    const auto response =
        taken ? respond(*taken, compared, *service_.repository.offer_index(), keep_alive)
              : not_taken_in(taken.error(), *intake, keep_alive);
    co_return co_await send(stream, response);
  }

  asio::awaitable<void> event_stream(beast::tcp_stream& stream) {
    static constexpr std::string_view kHead =
        "HTTP/1.1 200 OK\r\nServer: vantrod\r\nContent-Type: text/event-stream\r\n"
        "Cache-Control: no-store\r\nConnection: close\r\n\r\n";
    error_code error;
    stream.expires_after(kPatience);
    co_await asio::async_write(stream, asio::buffer(kHead),
                               asio::redirect_error(asio::use_awaitable, error));
    std::map<std::uint64_t, gate::State> told;
    auto change_told = service_.repository.snapshot()->sequence;
    auto last_sent = base::Instant{};
    while (!error && !stopped_) {
      std::string events;
      std::map<std::uint64_t, gate::State> now_told;
      for (const auto& one : service_.gate.transfers().view()) {
        const auto before = told.find(one.id);
        now_told.emplace(one.id, one.state);
        // One that stands still is told again, as its time goes on.
        const bool ended = one.state != gate::State::kRunning;
        if (ended && before != told.end() && before->second == one.state) continue;
        // What had ended before the client came is no event.
        if (ended && before == told.end() && last_sent == base::Instant{}) continue;
        events += fmt::format("event: transfer\nid: {}\ndata: {}\n\n", one.id,
                              dump(shape(one)));
      }
      told.swap(now_told);
      if (service_.repository.snapshot()->sequence != change_told) {
        const auto read = [&] {
          return service_.repository.change_log.after(change_told, kMostChanges);
        };
        const auto changes = co_await on_pool(disk_, read);
        // What can't be read now is told the next time.
        for (const auto& one : changes.value_or(std::vector<db::Change>())) {
          events += fmt::format("event: change\nid: {}\ndata: {}\n\n", one.sequence,
                                dump(shape(one)));
          change_told = one.sequence;
        }
      }
      const auto now = service_.clock.now();
      // A comment, so that a client that has gone is noticed.
      if (events.empty() && now - last_sent >= kHeartbeat) events = ": still here\n\n";
      if (!events.empty()) {
        stream.expires_after(kPatience);
        co_await asio::async_write(stream, asio::buffer(events),
                                   asio::redirect_error(asio::use_awaitable, error));
        last_sent = now;
      }
      asio::steady_timer timer(io_, kEventInterval);
      error_code waited;
      co_await timer.async_wait(asio::redirect_error(asio::use_awaitable, waited));
    }
  }

  asio::io_context& io_;
  asio::io_context& disk_;
  asio::io_context& slow_;
  Service& service_;
  base::Log log_;
  Config config_;              // constant after construction
  std::vector<Route> routes_;  // constant after construction
  tcp::acceptor acceptor_;
  bool stopped_ = false;
  std::size_t connections_ = 0;
  std::set<beast::tcp_stream*> idle_;  // waiting for their next call
};

Server::Server(asio::io_context& io, asio::io_context& disk, asio::io_context& slow,
               Service& service, base::Log log, Config config)
    : state_(std::make_shared<State>(io, disk, slow, service, std::move(log),
                                     std::move(config))) {}

Server::~Server() = default;

int Server::bind() { return state_->bind(); }
base::Endpoint Server::listening() const { return state_->listening(); }
void Server::start() { state_->start(); }
void Server::stop() { state_->stop(); }

base::Outcome<std::string> operator_token(const std::string& file) {
  base::UniqueFd there(::open(file.c_str(), O_RDONLY | O_CLOEXEC));
  if (!there && errno != ENOENT) return base::refuse(base::system_refusal(errno, file));
  if (there) {
    std::string text(256, '\0');
    const auto count = ::read(there.get(), text.data(), text.size());
    text.resize(count > 0 ? static_cast<std::size_t>(count) : 0);
    while (!text.empty() && (text.back() == '\n' || text.back() == ' ')) text.pop_back();
    if (text.size() >= 16) return text;
    // An empty one is of a crash while an older program made it: nobody holds it.
    if (!text.empty()) {
      return base::refuse(
          Kind::kCorrupt,
          fmt::format("{} holds no token; remove it, and the next start makes a new one",
                      file));
    }
  }
  const auto token = crypto::random_hex(24);
  const auto line = token + "\n";
  const auto failed = [&] {
    return base::refuse(
        base::system_refusal(errno, file + ": the token can't be written"));
  };
  // It has its name only when all of it is on disk.
  const auto fresh = file + ".new";
  const auto folder = std::filesystem::path(file).parent_path().string();
  const base::UniqueFd made(
      ::open(fresh.c_str(), O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC, 0600));
  if (!made || ::write(made.get(), line.data(), line.size()) != ssize_t(line.size()) ||
      ::fsync(made.get()) != 0 || ::rename(fresh.c_str(), file.c_str()) != 0) {
    return failed();
  }
  const base::UniqueFd above(::open(folder.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC));
  if (!above || ::fsync(above.get()) != 0) return failed();
  return token;
}

}  // namespace vantro::manage
