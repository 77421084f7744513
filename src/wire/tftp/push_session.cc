#include "wire/tftp/push_session.h"

#include <fmt/format.h>

#include "base/numbers.h"
#include "base/sizes.h"
#include "base/visible_name.h"
#include "wire/tftp/packet.h"

namespace vantro::wire::tftp {
namespace {

constexpr std::uint32_t kPlainEvery = 4;
constexpr std::size_t kUsualBlock = 512;

std::uint16_t number_of(ErrorCode code) { return static_cast<std::uint16_t>(code); }

}  // namespace

PushSession::PushSession(PushWanted wanted, const Patience& patience, std::uint64_t seed)
    : wanted_(std::move(wanted)), patience_(patience), seed_(seed) {}

Progress PushSession::progress() const {
  if (sending_) return sending_->progress();
  return {0, 0, asked_ == 0 ? 0 : asked_ - 1, false};
}

std::optional<base::Instant> PushSession::deadline() const {
  if (ended_) return std::nullopt;
  return sending_ ? sending_->deadline() : due_;
}

std::string PushSession::terms_text() const {
  return terms_.window_size == 1
             ? fmt::format("blocks of {} bytes", terms_.block_size)
             : fmt::format("blocks of {} bytes, {} for each acknowledgement",
                           terms_.block_size, terms_.window_size);
}

void PushSession::step(Event event, base::Instant now, Actions& actions) {
  if (sending_) {
    sending_->step(std::move(event), now, actions);
    ended_ = sending_->ended();
    return;
  }
  if (std::holds_alternative<Begin>(event)) {
    give_up_at_ = now + wanted_.wait;
    ask(now, actions);
  } else if (const auto* datagram = std::get_if<Datagram>(&event)) {
    if (const auto packet = parse(datagram->bytes)) answered(*packet, now, actions);
  } else if (std::holds_alternative<DeadlinePassed>(event)) {
    if (!due_ || now < *due_) return;
    if (now >= give_up_at_) {
      end(Ended::How::kAbandoned,
          fmt::format(
              "the device did not listen within {}",
              base::duration_text(std::chrono::duration<double>(wanted_.wait).count())),
          actions);
      return;
    }
    ask(now, actions);
  } else if (const auto* stop = std::get_if<Stop>(&event)) {
    end(Ended::How::kFailed, stop->why, actions);
  }
}

void PushSession::ask(base::Instant now, Actions& actions) {
  ++asked_;
  plain_ = only_plain_ || asked_ % kPlainEvery == 0;
  Request request;
  request.write = true;
  request.name = wanted_.name;
  request.mode = "octet";
  if (!plain_) {
    request.options.emplace_back("tsize", std::to_string(wanted_.size));
    if (wanted_.block_size != kUsualBlock) {
      request.options.emplace_back("blksize", std::to_string(wanted_.block_size));
    }
    if (wanted_.window_size > 1) {
      request.options.emplace_back("windowsize", std::to_string(wanted_.window_size));
    }
  }
  due_ = std::min(now + kAskEvery, give_up_at_);
  actions.emplace_back(Send{encode(request)});
}

void PushSession::answered(const Packet& packet, base::Instant now, Actions& actions) {
  if (const auto* ack = std::get_if<Ack>(&packet)) {
    // The answer to a request with options by a device that does not know them.
    if (ack->block == 0) begin({}, now, actions);
    return;
  }
  if (const auto* options = std::get_if<OptionAck>(&packet)) {
    Terms terms;
    const auto wrong = read_answer(options->options, terms);
    if (wrong.empty()) {
      begin(std::move(terms), now, actions);
      return;
    }
    actions.emplace_back(
        Send{encode(Error{number_of(ErrorCode::kOptionRefused), wrong})});
    end(Ended::How::kFailed, "the device's answer is wrong: " + wrong, actions);
    return;
  }
  const auto* error = std::get_if<Error>(&packet);
  if (error == nullptr) return;
  // RFC 2347 has 8 for it; older servers 4, and some 0.
  const bool of_options = error->code == number_of(ErrorCode::kOptionRefused) ||
                          error->code == number_of(ErrorCode::kIllegalOperation) ||
                          error->code == number_of(ErrorCode::kNotDefined);
  if (!plain_ && of_options) {
    only_plain_ = true;
    ask(now, actions);
    return;
  }
  // The answer to a request that was sent before the one without options.
  if (only_plain_ && error->code == number_of(ErrorCode::kOptionRefused)) return;
  end(Ended::How::kAbandoned,
      fmt::format("the device refused it with error {} '{}'", error->code,
                  base::printable(error->text)),
      actions);
}

std::string PushSession::read_answer(const Options& options, Terms& terms) const {
  for (const auto& [name, value] : options) {
    const auto number = base::parse_number<std::uint64_t>(value);
    const auto shown = base::printable(value, 20);
    if (name == "blksize") {
      if (!number || *number < 8 || *number > wanted_.block_size) {
        return fmt::format("blksize {}, asked for {}", shown, wanted_.block_size);
      }
      terms.block_size = *number;
    } else if (name == "windowsize") {
      if (!number || *number < 1 || *number > wanted_.window_size) {
        return fmt::format("windowsize {}, asked for {}", shown, wanted_.window_size);
      }
      terms.window_size = *number;
    } else if (name != "tsize") {
      // The device's answer about the size does not change what is sent.
      return fmt::format("option '{}', which was not asked for",
                         base::printable(name, 20));
    }
  }
  return "";
}

void PushSession::begin(Terms terms, base::Instant now, Actions& actions) {
  due_.reset();
  terms_ = std::move(terms);
  sending_ = std::make_unique<ReadSession>(terms_, wanted_.size, patience_, seed_);
  sending_->step(Begin{}, now, actions);
}

void PushSession::end(Ended::How how, std::string why, Actions& actions) {
  ended_ = true;
  due_.reset();
  actions.emplace_back(Ended{how, std::move(why)});
}

}  // namespace vantro::wire::tftp
