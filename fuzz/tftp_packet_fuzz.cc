// Any datagram, as a packet and as an event for the machines: nothing may crash, read
// past its end, or send more than it was asked for. What can be parsed and spelt again
// must mean the same.
#include <cstddef>
#include <cstdint>
#include <cstdlib>

#include "wire/tftp/packet.h"
#include "wire/tftp/push_session.h"
#include "wire/tftp/read_session.h"
#include "wire/tftp/write_session.h"

namespace {

namespace tftp = vantro::wire::tftp;
namespace base = vantro::base;

void require(bool holds) {
  if (!holds) std::abort();
}

void check_spelling(const tftp::Packet& packet) {
  if (const auto* request = std::get_if<tftp::Request>(&packet)) {
    const auto again = tftp::parse(tftp::encode(*request));
    require(again && std::get<tftp::Request>(*again) == *request);
  }
  tftp::describe(packet);
}

// Feeds one session and answers what it asks its file for.
void drive(tftp::Session& session, base::ByteView datagram) {
  std::size_t answers = 0;
  base::Instant now{};
  const auto step = [&](tftp::Event event) {
    tftp::Actions actions;
    session.step(std::move(event), now, actions);
    std::size_t next_read = 0;
    for (const auto& action : actions) {
      if (std::holds_alternative<tftp::Send>(action)) ++answers;
      if (const auto* blocks = std::get_if<tftp::SendBlocks>(&action)) {
        answers += blocks->count;
      }
      if (const auto* read = std::get_if<tftp::ReadFile>(&action))
        next_read = read->count;
    }
    return next_read;
  };
  for (auto count = step(tftp::Begin{}); count > 0 && !session.done();) {
    count = step(tftp::FileRead{base::ByteBuffer(count, 'f')});
  }
  for (int i = 0; i < 3 && !session.done(); ++i) {
    now += std::chrono::milliseconds(100);
    auto count = step(tftp::Datagram{datagram});
    while (count > 0 && !session.done()) {
      count = step(tftp::FileRead{base::ByteBuffer(count, 'f')});
    }
  }
  // The most that three datagrams can ask for: three windows of the test's terms.
  require(answers <= 1 + 4 * 16 + 3);
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  const base::ByteView datagram(data, size);
  const auto packet = tftp::parse(datagram);
  if (packet) check_spelling(*packet);
  tftp::Terms terms;
  if (packet && std::holds_alternative<tftp::Request>(*packet)) {
    terms = tftp::negotiate(std::get<tftp::Request>(*packet), 100'000);
    require(terms.block_size >= 8 && terms.block_size <= 65464);
    require(terms.window_size >= 1 && terms.window_size <= 64);
  }
  terms = {};
  terms.window_size = 16;
  tftp::ReadSession read(terms, 100'000, tftp::Patience{}, 1);
  drive(read, datagram);
  tftp::WriteSession write(terms, tftp::Patience{}, 1);
  drive(write, datagram);
  tftp::PushSession push({"boot.img", 100'000, 1428, 16, std::chrono::minutes(1)},
                         tftp::Patience{}, 1);
  drive(push, datagram);
  return 0;
}
