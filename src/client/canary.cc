#include "client/canary.h"

#include <arpa/inet.h>
#include <curl/curl.h>
#include <fmt/format.h>
#include <memory>
#include <netinet/in.h>
#include <set>
#include <sys/socket.h>

#include "base/address.h"
#include "base/sizes.h"
#include "base/unique_fd.h"
#include "base/visible_name.h"
#include "client/answers.h"
#include "client/packet_filter.h"
#include "client/reach.h"
#include "client/render.h"
#include "crypto/digests.h"

namespace vantro::client {
namespace {

constexpr long kPatience = 5;  // seconds
constexpr std::size_t kLongest = 4096;

struct Fetched {
  bool works = false;
  std::string fact;
  double seconds = 0;
};

std::size_t collect(char* bytes, std::size_t size, std::size_t count, void* to) {
  auto& text = *static_cast<std::string*>(to);
  if (text.size() + size * count > kLongest) return 0;
  text.append(bytes, size * count);
  return size * count;
}

// The last line holds the checksum of the lines above it.
bool is_whole(const std::string& text) {
  constexpr std::string_view kLine = "SHA-256 of the lines above: ";
  const auto at = text.rfind(kLine);
  if (at == std::string::npos) return false;
  crypto::Digester digester;
  digester.update(base::as_bytes(std::string_view(text).substr(0, at)));
  return text.substr(at + kLine.size()) == digester.finish().sha256 + "\n";
}

Fetched fetch(const api::CanaryWay& way) {
  const std::unique_ptr<CURL, void (*)(CURL*)> curl(curl_easy_init(), curl_easy_cleanup);
  if (!curl) return {false, "out of memory", 0};
  std::string text;
  const auto url = way.protocol == "ftps" ? "ftp" + way.text.substr(4) : way.text;
  curl_easy_setopt(curl.get(), CURLOPT_URL, url.c_str());
  curl_easy_setopt(curl.get(), CURLOPT_WRITEFUNCTION, collect);
  curl_easy_setopt(curl.get(), CURLOPT_WRITEDATA, &text);
  curl_easy_setopt(curl.get(), CURLOPT_TIMEOUT, kPatience);
  curl_easy_setopt(curl.get(), CURLOPT_FAILONERROR, 1L);
  curl_easy_setopt(curl.get(), CURLOPT_NOSIGNAL, 1L);
  curl_easy_setopt(curl.get(), CURLOPT_PROXY, "");
  // The certificate's owner does not matter here: nothing secret is sent or received.
  curl_easy_setopt(curl.get(), CURLOPT_SSL_VERIFYPEER, 0L);
  curl_easy_setopt(curl.get(), CURLOPT_SSL_VERIFYHOST, 0L);
  if (way.protocol == "ftps") {
    curl_easy_setopt(curl.get(), CURLOPT_USE_SSL, static_cast<long>(CURLUSESSL_ALL));
  }
  const auto code = curl_easy_perform(curl.get());
  Fetched fetched;
  curl_easy_getinfo(curl.get(), CURLINFO_TOTAL_TIME, &fetched.seconds);
  if (code != CURLE_OK) {
    fetched.fact = curl_easy_strerror(code);
  } else if (!is_whole(text)) {
    fetched.fact = "the received bytes differ from those that were sent";
  } else {
    fetched.works = true;
    fetched.fact =
        fmt::format("fetched and whole, in {}", base::duration_text(fetched.seconds));
  }
  return fetched;
}

Fetched try_way(const api::CanaryWay& way) {
  if (!way.needs_account) return fetch(way);
  if (accepts_tcp(way.server, static_cast<std::uint16_t>(way.port))) {
    return {true, "accepts connections; a fetch needs an account", 0};
  }
  return {false, "no connection", 0};
}

// Whether the address is this machine's.
bool is_own(const std::string& text) {
  const auto address = base::Address::parse(text);
  if (!address) return false;
  const base::UniqueFd socket(
      ::socket(address->is_v4() ? AF_INET : AF_INET6, SOCK_DGRAM | SOCK_CLOEXEC, 0));
  if (address->is_v4()) {
    sockaddr_in name{};
    name.sin_family = AF_INET;
    name.sin_addr.s_addr = htonl(address->v4_host_order());
    return ::bind(socket.get(), reinterpret_cast<const sockaddr*>(&name), sizeof name) ==
           0;
  }
  sockaddr_in6 name{};
  name.sin6_family = AF_INET6;
  std::copy(address->bytes().begin(), address->bytes().end(), name.sin6_addr.s6_addr);
  return ::bind(socket.get(), reinterpret_cast<const sockaddr*>(&name), sizeof name) == 0;
}

struct Tried {
  api::CanaryWay way;
  Fetched fetched;
};

// For addresses that a device would use: the packet filter does not see loopback traffic.
void write_filter(const Terminal& terminal, const std::vector<Tried>& all, bool& closed) {
  if (all.empty() || !is_own(all.front().way.server)) {
    terminal.write(
        "The server is another machine; run this there to see what its packet "
        "filter does.\n");
    return;
  }
  const PacketFilter filter;
  if (!filter.known()) {
    terminal.write(
        "The packet filter's rules can't be read; run this as root to see what "
        "they do with packets of devices.\n");
    return;
  }
  std::set<std::pair<std::string, std::int64_t>> seen;
  for (const auto& one : all) {
    const std::string protocol = one.way.protocol == "tftp" ? "udp" : "tcp";
    if (!seen.insert({protocol, one.way.port}).second) continue;
    const auto answer = filter.judge(protocol, static_cast<std::uint16_t>(one.way.port));
    const auto port =
        fmt::format("{} port {} ({})", protocol, one.way.port, one.way.protocol);
    switch (answer.what) {
      case Filtering::kPasses:
        terminal.write(fmt::format("packet filter: {} passes\n", port));
        break;
      case Filtering::kUnclear:
        terminal.write(terminal.toned(
            fmt::format("packet filter: {} depends on: {}\n", port, shown(answer.rule)),
            Tone::kCaution));
        break;
      case Filtering::kDropped:
        closed = true;
        terminal.write(terminal.toned(fmt::format("packet filter: {} is dropped by: {}\n",
                                                  port, shown(answer.rule)),
                                      Tone::kBad));
        terminal.write(fmt::format("  to open it: {}\n", answer.command));
        break;
      case Filtering::kNotKnown:
        break;
    }
  }
}

Done canary(const Context& context) {
  const auto ways = context.api.call(api::kCanaryWays, {});
  if (!ways) return tl::unexpected(ways.error());
  const Terminal terminal(stdout);
  std::vector<Tried> all;
  bool failed = false;
  for (const auto& way : ways->value.ways) {
    all.push_back({way, try_way(way)});
    failed = failed || !all.back().fetched.works;
  }
  if (context.json) {
    JsonList list(terminal, "ways");
    for (const auto& one : all) {
      list.add(api::json_of(
          std::map<std::string, std::string>{{"protocol", one.way.protocol},
                                             {"server", one.way.server},
                                             {"port", std::to_string(one.way.port)},
                                             {"works", one.fetched.works ? "yes" : "no"},
                                             {"fact", one.fetched.fact}}));
    }
    list.end();
  } else {
    Table table({{"PROTOCOL"}, {"SERVER"}, {"PORT", Table::Align::kRight}, {"'HELLO'"}});
    for (const auto& one : all) {
      table.add({{one.way.protocol},
                 {one.way.server},
                 {std::to_string(one.way.port)},
                 {one.fetched.fact, one.fetched.works ? Tone::kGood : Tone::kBad}});
    }
    write_or(table, terminal, "Nothing is served to devices.");
    write_filter(terminal, all, failed);
  }
  if (!failed) return {};
  return tl::unexpected(Failure{ExitCode::kRefused, ""});
}

}  // namespace

void canary_command(const Command& top) {
  top.add("canary", "Fetch 'hello' over every protocol that the server serves", canary)
      .example("canary")
      .related({"contact", "ready", "status"})
      .exit_codes("1 a protocol did not work");
}

}  // namespace vantro::client
