// A request out of bytes as they come: the head, and a chunked body in pieces. The first
// byte says how many bytes come at a time, the second how much room there is.
#include <array>
#include <cstdint>
#include <cstdlib>
#include <string>

#include "net/http/request.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using vantro::net::http::RequestReader;
  if (size < 2) return 0;
  const std::size_t at_a_time = data[0] + std::size_t{1};
  const std::size_t room = data[1] % 64 + std::size_t{1};
  std::vector<std::uint8_t> waiting;
  std::size_t at = 2;
  const auto more = [&] {
    const auto count = std::min(at_a_time, size - at);
    waiting.insert(waiting.end(), data + at, data + at + count);
    at += count;
    return count > 0;
  };
  RequestReader reader;
  std::size_t head = 0;
  while (head == 0) {
    if (!more()) return 0;
    const auto taken = reader.feed_head(waiting);
    if (!taken) return 0;
    if (*taken > waiting.size()) std::abort();
    head = *taken;
  }
  waiting.erase(waiting.begin(), waiting.begin() + static_cast<std::ptrdiff_t>(head));
  if (reader.head().chunked && reader.head().content_length) std::abort();
  if (!reader.head().chunked) return 0;
  std::array<std::uint8_t, 64> memory{};
  while (true) {
    const auto fed = reader.feed_chunked(waiting, std::span(memory).first(room));
    if (!fed || fed->done) return 0;
    if (fed->taken > waiting.size() || fed->produced > room) std::abort();
    waiting.erase(waiting.begin(),
                  waiting.begin() + static_cast<std::ptrdiff_t>(fed->taken));
    if (fed->taken == 0 && fed->produced == 0 && !more()) return 0;
  }
}
