// vantro push: an image into a device that waits for it.
#include <chrono>
#include <csignal>
#include <fmt/format.h>
#include <memory>
#include <thread>

#include "base/clock.h"
#include "base/sizes.h"
#include "base/typed_time.h"
#include "client/password.h"
#include "client/progress.h"
#include "client/render.h"
#include "client/rescue.h"

namespace vantro::client {
namespace {

volatile std::sig_atomic_t interrupted = 0;
void interrupt(int) { interrupted = 1; }

constexpr std::chrono::milliseconds kBetween{300};

struct Push {
  api::PushWanted wanted;
  std::string wait = "10m";
  bool start_only = false;
};

bool needs_password(const api::PushWanted& wanted) { return !wanted.account.empty(); }

void write_end(const Terminal& terminal, const api::Push& push,
               const api::PushState& state) {
  if (state.state != "complete") return;
  terminal.write(fmt::format(
      "'{}' was sent to {} as '{}': {} in {}, {}; {} packets sent again\n",
      shown(push.image), push.to, shown(push.name), base::size_text(push.total),
      base::duration_text(static_cast<double>(state.duration_ms) / 1000),
      base::rate_text(state.rate), state.resent));
  if (!state.host_key.empty()) {
    terminal.write(fmt::format(
        "Its host key is {}{}\n", shown(state.host_key),
        push.first_time ? ", remembered from now on; compare it at the device's console"
                        : ", as remembered"));
  }
}

Done follow(const Context& context, const api::Push& push) {
  std::signal(SIGINT, interrupt);
  const Terminal terminal(stdout);
  const Terminal notes(stderr);
  std::optional<Progress> bar;
  bool told = false;
  for (;;) {
    const auto answer = context.api.call(api::kPush, {push.number});
    if (!answer) return tl::unexpected(answer.error());
    const auto& state = answer->value;
    if (state.state == "waiting" && !told) {
      notes.write(fmt::format("Waiting until {} listens...\n", push.to));
      told = true;
    }
    if (state.state == "sending") {
      if (!bar) bar.emplace(context.view, push.name, push.total);
      bar->advance(state.bytes);
    }
    if (state.state == "complete" || state.state == "failed") {
      bar.reset();
      if (context.json) {
        terminal.write_json(api::indented(answer->text) + "\n");
      } else {
        write_end(terminal, push, state);
      }
      if (state.state == "complete") return {};
      return tl::unexpected(Failure{ExitCode::kRefused, state.why});
    }
    if (interrupted != 0) {
      const auto ended = context.api.call(api::kEndPush, {push.number});
      if (!ended) return tl::unexpected(ended.error());
      interrupted = 0;
    }
    std::this_thread::sleep_for(kBetween);
  }
}

Done push_image(const Context& context, Push options) {
  const auto wait = base::parse_span(options.wait);
  if (!wait) {
    return wrong_use(fmt::format("--wait: '{}' is not a length of time; example: 10m",
                                 shown(options.wait, 40)));
  }
  options.wanted.wait_s = (*wait + 500) / 1000;
  if (needs_password(options.wanted)) {
    auto password = ask_hidden(
        fmt::format("Password of '{}' on the device: ", options.wanted.account),
        "password");
    if (!password) return tl::unexpected(password.error());
    options.wanted.password = std::move(*password);
  }
  const auto begun = context.api.call(api::kBeginPush, {}, options.wanted);
  if (!begun) return tl::unexpected(begun.error());
  if (options.start_only) {
    return show_answer(
        context, begun, [](const Terminal& terminal, const api::Push& push) {
          terminal.write(fmt::format(
              "Push {} of '{}' to {} started; follow it with 'vantro watch'\n",
              push.number, shown(push.image), push.to));
        });
  }
  return follow(context, begun->value);
}

}  // namespace

void push_command(const Command& top) {
  auto& o = top.keep<Push>();
  const auto command = top.add("push", "Send an image to a device that waits for it",
                               [&o](const Context& c) { return push_image(c, o); });
  command.value("IMAGE", o.wanted.image, "Image to send").required();
  command
      .value("--device", o.wanted.to,
             "Device that waits: its name, or its address, with a port if it is not the "
             "usual one")
      .required();
  command.value("--name", o.wanted.name,
                "Name that the device is told (default: the image's)");
  command.value("--wait", o.wait, "Try for this long until it listens").show_default();
  command.value("--over", o.wanted.over, "tftp, http, scp or sftp").show_default();
  command.value(
      "--account", o.wanted.account,
      "Account on the device; vantro asks for its password, and does not keep it");
  command.value("--block-size", o.wanted.block_size, "TFTP block size")
      .range(8, 65464)
      .show_default();
  command.value("--window-size", o.wanted.window_size, "TFTP window size in blocks")
      .range(1, 64)
      .show_default();
  command.flag("--post", o.wanted.post, "HTTP: POST instead of PUT");
  command.value("--host-key", o.wanted.host_key,
                "SSH host key to accept from now on (\"SHA256:...\")");
  command.flag("--start-only", o.start_only, "Start it and return at once");
  command.example("push heron-boot-2.1.img --device 192.0.2.7 --wait 30m")
      .related({"rescue open", "watch"});
}

}  // namespace vantro::client
