#include "net/http/request.h"

#include <algorithm>
#include <boost/beast/http.hpp>
#include <fmt/format.h>
#include <map>

#include "base/visible_name.h"

namespace vantro::net::http {
namespace {

namespace beast = boost::beast;
namespace bh = boost::beast::http;

std::string_view view(beast::string_view text) { return {text.data(), text.size()}; }

Malformed malformed(const beast::error_code& error) {
  if (error == bh::error::header_limit) {
    return {431, fmt::format("the request's head has more than {} bytes",
                             RequestReader::kLongestHead)};
  }
  if (error == bh::error::bad_version)
    return {505, "this server speaks HTTP/1.0 and 1.1"};
  return {400, "not a valid HTTP request: " + error.message()};
}

// Requests that Beast accepts, and we do not.
std::optional<Malformed> dubious(const Head& head) {
  const auto bad = [](std::string why) { return Malformed{400, std::move(why)}; };
  const auto hosts = head.count("host");
  if (hosts > 1) return bad("there are several Host fields");
  if (hosts == 0 && !head.http_1_0) return bad("the Host field is missing");
  if (head.count("content-length") > 1) {
    return bad("there are several Content-Length fields");
  }
  const auto length = head.field("content-length");
  if (length.find_first_not_of("0123456789") != std::string::npos) {
    return bad("the Content-Length is not a number");
  }
  if (head.count("transfer-encoding") == 0) return std::nullopt;
  if (head.count("content-length") > 0) {
    return bad("Content-Length and Transfer-Encoding exclude each other");
  }
  if (head.http_1_0) return bad("HTTP/1.0 has no Transfer-Encoding");
  const auto coding = head.field("transfer-encoding");
  if (base::folded(base::trimmed(coding)) != "chunked") {
    return Malformed{
        501,
        fmt::format("the transfer coding '{}' is not supported; send it plain or chunked",
                    base::printable(coding, 40))};
  }
  return std::nullopt;
}

}  // namespace

std::string reason_of(int status) {
  return std::string(
      view(bh::obsolete_reason(bh::int_to_status(static_cast<unsigned>(status)))));
}

std::string Head::field(std::string_view name) const {
  std::string text;
  bool first = true;
  for (const auto& [one, value] : fields) {
    if (one != name) continue;
    if (!first) text += ", ";
    text += value;
    first = false;
  }
  return text;
}

std::size_t Head::count(std::string_view name) const {
  return static_cast<std::size_t>(std::count_if(
      fields.begin(), fields.end(), [&](const auto& one) { return one.first == name; }));
}

struct RequestReader::State {
  bh::request_parser<bh::buffer_body> parser;
  std::size_t head_taken = 0;       // of the head's bytes, by the parser
  std::optional<Malformed> failed;  // what came before it is given first
  bool wants_more = false;          // of a chunked body, since the last call

  std::vector<std::pair<std::string, std::string>> fields() {
    std::vector<std::pair<std::string, std::string>> all;
    for (const auto& field : parser.get()) {
      all.emplace_back(base::folded(view(field.name_string())),
                       std::string(view(field.value())));
    }
    return all;
  }
};

RequestReader::RequestReader() : state_(std::make_unique<State>()) {
  state_->parser.header_limit(kLongestHead);
  state_->parser.body_limit(boost::none);
}

RequestReader::~RequestReader() = default;

tl::expected<std::size_t, Malformed> RequestReader::feed_head(base::ByteView bytes) {
  auto& parser = state_->parser;
  // It takes whole lines, also when it asks for more, and must not get them again.
  const auto rest = bytes.subspan(state_->head_taken);
  beast::error_code error;
  state_->head_taken +=
      parser.put(boost::asio::const_buffer(rest.data(), rest.size()), error);
  if (error == bh::error::need_more) return 0;
  if (error && error != bh::error::need_buffer) return tl::unexpected(malformed(error));
  if (!parser.is_header_done()) return 0;
  const auto& request = parser.get();
  head_.method = view(request.method_string());
  head_.target = view(request.target());
  head_.http_1_0 = request.version() == 10;
  head_.keep_alive = parser.keep_alive();
  head_.chunked = parser.chunked();
  if (const auto length = parser.content_length()) head_.content_length = *length;
  head_.fields = state_->fields();
  if (auto refused = dubious(head_)) return tl::unexpected(std::move(*refused));
  return state_->head_taken;
}

Head RequestReader::trailer() const {
  Head trailer;
  if (!state_->parser.is_done()) return trailer;
  // The parser appends them to the head's fields of the same name.
  std::map<std::string, std::size_t> seen;
  for (auto& [name, value] : state_->fields()) {
    if (seen[name]++ < head_.count(name)) continue;
    trailer.fields.emplace_back(std::move(name), std::move(value));
  }
  return trailer;
}

tl::expected<RequestReader::Body, Malformed> RequestReader::feed_chunked(
    base::ByteView bytes, std::span<std::uint8_t> to) {
  if (state_->failed) return tl::unexpected(*state_->failed);
  auto& parser = state_->parser;
  // The rest of a chunked message is never shorter than its last chunk and the empty line
  // behind it. When the parser has asked for more, it takes for granted that it gets so
  // much.
  constexpr std::size_t kShortestRest = std::string_view("0\r\n\r\n").size();
  Body result;
  while (result.produced < to.size() && !parser.is_done()) {
    if (state_->wants_more && bytes.size() - result.taken < kShortestRest) break;
    auto& body = parser.get().body();
    body.data = to.data() + result.produced;
    body.size = to.size() - result.produced;
    body.more = true;
    const auto room = body.size;
    beast::error_code error;
    const auto rest = bytes.subspan(result.taken);
    const auto taken =
        parser.put(boost::asio::const_buffer(rest.data(), rest.size()), error);
    result.taken += taken;
    result.produced += room - body.size;
    state_->wants_more = error == bh::error::need_more;
    if (state_->wants_more) break;
    if (error && error != bh::error::need_buffer) {
      state_->failed = malformed(error);
      if (result.taken > 0 || result.produced > 0) return result;
      return tl::unexpected(*state_->failed);
    }
    if (taken == 0 && room == body.size) break;
  }
  result.done = parser.is_done();
  return result;
}

}  // namespace vantro::net::http
