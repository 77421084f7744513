#include "wire/tftp/repeated_request.h"

namespace vantro::wire::tftp {
namespace {

// Longer than copies of a datagram stay on the way, shorter than people wait.
constexpr std::chrono::seconds kDetour{3};

}  // namespace

OnRequest on_request(const RunningTransfer& running) {
  if (!running.opened) return OnRequest::kIgnore;
  if (!running.same_request) return OnRequest::kReplace;
  if (!running.heard) return OnRequest::kIgnore;
  if (!running.shared_port) return OnRequest::kOpenBeside;
  // Two transfers could not be distinguished by their packets.
  const bool over = running.ended || running.quiet_for >= kDetour;
  return over ? OnRequest::kReplace : OnRequest::kIgnore;
}

}  // namespace vantro::wire::tftp
