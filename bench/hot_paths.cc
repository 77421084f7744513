// The paths that run for each block, request, name and row, so often as is asked for: for
// scripts/instructions, which counts what they cost. No thread, socket or disk, and no
// OpenSSL: so the counts are those of this code, whatever the machine.
#include <cstdio>
#include <cstdlib>
#include <fmt/format.h>
#include <functional>
#include <map>
#include <stdexcept>
#include <string>
#include <variant>
#include <vector>

#include "api/catalogue.h"
#include "api/json.h"
#include "base/numbers.h"
#include "catalog/offer_index.h"
#include "net/http/request.h"
#include "wire/http/range.h"
#include "wire/tftp/packet.h"
#include "wire/tftp/read_session.h"

namespace {

using namespace vantro;

constexpr int kNames = 2'000;

void wanted(bool held) {
  if (!held) throw std::runtime_error("it does not do what it is measured for");
}

// One block of 1428 bytes and its acknowledgement, in a download without a window.
void tftp_blocks(std::uint64_t rounds) {
  namespace tftp = wire::tftp;
  tftp::Terms terms;
  terms.block_size = 1428;
  tftp::ReadSession session(terms, rounds * terms.block_size, {}, 1);
  tftp::Actions actions;
  auto now = base::Instant{};
  std::uint64_t blocks = 0;
  std::vector<tftp::Event> events;
  events.emplace_back(tftp::Begin{});
  base::ByteBuffer ack;
  while (!events.empty()) {
    auto event = std::move(events.front());
    events.clear();
    actions.clear();
    session.step(std::move(event), now += std::chrono::microseconds(100), actions);
    for (auto& action : actions) {
      if (auto* read = std::get_if<tftp::ReadFile>(&action)) {
        auto bytes = std::move(read->spare);
        bytes.resize(read->count);
        events.emplace_back(tftp::FileRead{std::move(bytes)});
      } else if (const auto* sent = std::get_if<tftp::SendBlocks>(&action)) {
        blocks += sent->count;
        ack = tftp::encode(tftp::Ack{static_cast<std::uint16_t>(sent->first)});
        events.emplace_back(tftp::Datagram{ack});
      }
    }
    // Bytes that were asked for ahead come before the acknowledgement.
    if (events.size() > 1) {
      actions.clear();
      auto read = std::holds_alternative<tftp::FileRead>(events[0]) ? 0u : 1u;
      session.step(std::move(events[read]), now, actions);
      events.erase(events.begin() + read);
    }
  }
  wanted(session.done() && blocks == rounds + 1);
}

catalog::OfferIndex index() {
  std::vector<catalog::Offer> offers;
  for (int i = 0; i < kNames; ++i) {
    catalog::Offer offer;
    offer.id = i + 1;
    offer.name = fmt::format("platform{}-system-7.{}.{}.img", i % 40, i / 40, i % 7);
    offer.image.name = offer.name;
    offer.image.digests.sha256 = fmt::format("{:064x}", i);
    offers.push_back(std::move(offer));
  }
  return catalog::OfferIndex(std::move(offers), {}, false);
}

const catalog::Asking kAsking{*base::Address::parse("192.0.2.7"), "tftp", 1};

void find_offers(std::uint64_t rounds) {
  const auto offers = index();
  for (std::uint64_t i = 0; i < rounds; ++i) {
    const auto n = static_cast<int>(i % kNames);
    wanted(offers
               .find(fmt::format("platform{}-system-7.{}.{}.img", n % 40, n / 40, n % 7),
                     kAsking)
               .has_value());
  }
}

void nearest_names(std::uint64_t rounds) {
  const auto offers = index();
  for (std::uint64_t i = 0; i < rounds; ++i) {
    const auto name = fmt::format("platfrom{}-system-7.3.img", i % 40);
    wanted(offers.nearest(name, kAsking).has_value());
  }
}

void http_requests(std::uint64_t rounds) {
  const std::string text =
      "GET /platform7-system-7.6.0.img HTTP/1.1\r\nHost: images.example:8080\r\n"
      "User-Agent: device/1.0\r\nAccept: */*\r\nRange: bytes=1048576-2097151\r\n"
      "If-Range: \"0f1e2d3c\"\r\nConnection: keep-alive\r\n\r\n";
  for (std::uint64_t i = 0; i < rounds; ++i) {
    net::http::RequestReader reader;
    wanted(reader.feed_head(base::as_bytes(text)).value_or(0) == text.size());
    wanted(wire::http::parse_range(reader.head().field("range"), 8 << 20).parts.size() ==
           1);
  }
}

void json_rows(std::uint64_t rounds) {
  api::ImageList list;
  list.images.resize(100);
  for (auto& row : list.images) {
    row.platform = "platform7";
    row.image.name = "platform7-system-7.6.0.img";
    row.image.facts.platform = {"platform7", "platform8"};
    row.image.digests.sha256 = std::string(64, 'a');
  }
  for (std::uint64_t i = 0; i < rounds; i += list.images.size()) {
    wanted(api::json_of(list).size() > 10'000);
  }
}

}  // namespace

int main(int argc, char** argv) {
  const std::map<std::string, std::function<void(std::uint64_t)>> paths{
      {"tftp-block", tftp_blocks},
      {"find-offer", find_offers},
      {"nearest-name", nearest_names},
      {"http-request", http_requests},
      {"json-row", json_rows}};
  const auto path = argc == 3 ? paths.find(argv[1]) : paths.end();
  const auto rounds = argc == 3 ? base::parse_number<std::uint64_t>(argv[2])
                                : std::optional<std::uint64_t>();
  if (path == paths.end() || !rounds) {
    std::fputs("usage: vantro-hot-paths PATH ROUNDS; paths:", stderr);
    for (const auto& [name, run] : paths) std::fprintf(stderr, " %s", name.c_str());
    std::fputs("\n", stderr);
    return 2;
  }
  path->second(*rounds);
  return 0;
}
