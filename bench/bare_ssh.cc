#include "bench/bare_ssh.h"

#include <algorithm>
#include <array>
#include <csignal>
#include <cstdlib>
#include <fmt/format.h>
#include <functional>
#include <libssh/callbacks.h>
#include <libssh/libssh.h>
#include <libssh/server.h>
#include <string_view>
#include <sys/prctl.h>
#include <sys/socket.h>
#include <sys/wait.h>
#include <unistd.h>
#include <vector>

#include "bench/tcp_peers.h"

namespace vantro::bench {
namespace {

constexpr std::size_t kPiece = 1 << 20;

// Serves the session while the condition holds and the connection is open.
void poll_while(ssh_session session, const std::function<bool()>& so) {
  auto* event = ssh_event_new();
  ssh_event_add_session(event, session);
  while (so() && ssh_is_connected(session) != 0 &&
         ssh_event_dopoll(event, -1) != SSH_ERROR) {
  }
  ssh_event_remove_session(event, session);
  ssh_event_free(event);
}

struct Client {
  ssh_session session = nullptr;
  ssh_channel channel = nullptr;
  std::string command;
  ssh_server_callbacks_struct callbacks{};
  ssh_channel_callbacks_struct of_channel{};
};

int let_in(ssh_session, const char*, ssh_key_struct*, char, void*) {
  return SSH_AUTH_SUCCESS;
}

int take_command(ssh_session, ssh_channel, const char* command, void* client) {
  static_cast<Client*>(client)->command = command;
  return SSH_OK;
}

ssh_channel open_channel(ssh_session session, void* of) {
  auto& client = *static_cast<Client*>(of);
  client.channel = ssh_channel_new(session);
  client.of_channel.userdata = of;
  client.of_channel.channel_exec_request_function = take_command;
  ssh_callbacks_init(&client.of_channel);
  ssh_set_channel_callbacks(client.channel, &client.of_channel);
  return client.channel;
}

// Lets the client in; false: it went away before it gave a command.
bool hear_command(Client& client) {
  client.callbacks.userdata = &client;
  client.callbacks.auth_pubkey_function = let_in;
  client.callbacks.channel_open_request_session_function = open_channel;
  ssh_callbacks_init(&client.callbacks);
  ssh_set_server_callbacks(client.session, &client.callbacks);
  ssh_set_auth_methods(client.session, SSH_AUTH_METHOD_PUBLICKEY);
  if (ssh_handle_key_exchange(client.session) != SSH_OK) return false;
  poll_while(client.session, [&] { return client.command.empty(); });
  return !client.command.empty();
}

std::string line_from(ssh_channel channel) {
  std::string line;
  for (char c = 0; c != '\n' && ssh_channel_read(channel, &c, 1, 0) == 1;) line += c;
  return line;
}

void say(ssh_channel channel, std::string_view text) {
  ssh_channel_write(channel, text.data(), static_cast<std::uint32_t>(text.size()));
}

void send(ssh_channel channel, std::uint64_t size) {
  std::array<char, 1> heard{};
  ssh_channel_read(channel, heard.data(), 1, 0);
  say(channel, fmt::format("C0644 {} x\n", size));
  ssh_channel_read(channel, heard.data(), 1, 0);
  const std::vector<char> piece(kPiece);
  for (auto left = size; left > 0;) {
    const auto count = static_cast<std::uint32_t>(std::min<std::uint64_t>(left, kPiece));
    const int done = ssh_channel_write(channel, piece.data(), count);
    if (done <= 0) return;
    left -= static_cast<std::uint64_t>(done);
  }
  say(channel, std::string_view("\0", 1));
  ssh_channel_read(channel, heard.data(), 1, 0);
}

void receive(ssh_channel channel) {
  constexpr std::string_view kGoOn("\0", 1);
  say(channel, kGoOn);
  const auto line = line_from(channel);
  if (line.size() < 7) return;
  say(channel, kGoOn);
  std::vector<char> piece(kPiece);
  // Its bytes and a zero byte.
  for (auto left = std::strtoull(line.c_str() + 6, nullptr, 10) + 1; left > 0;) {
    const int got = ssh_channel_read(
        channel, piece.data(),
        static_cast<std::uint32_t>(std::min<std::uint64_t>(left, piece.size())), 0);
    if (got <= 0) return;
    left -= static_cast<std::uint64_t>(got);
  }
  say(channel, kGoOn);
}

void serve(ssh_session session, std::uint64_t size) {
  Client client;
  client.session = session;
  if (!hear_command(client)) return;
  if (client.command.find(" -t") != std::string::npos) {
    receive(client.channel);
  } else {
    send(client.channel, size);
  }
  ssh_channel_request_send_exit_status(client.channel, 0);
  ssh_channel_send_eof(client.channel);
  ssh_channel_close(client.channel);
  // The client may not have read the status yet.
  poll_while(session, [] { return true; });
}

}  // namespace

BareSsh::BareSsh(const std::string& host_key, std::uint64_t size) {
  const int listening = listen_on_loopback(port_);
  child_ = ::fork();
  if (child_ == 0) {
    ::prctl(PR_SET_PDEATHSIG, SIGKILL);
    auto* binding = ssh_bind_new();
    ssh_bind_options_set(binding, SSH_BIND_OPTIONS_HOSTKEY, host_key.c_str());
    while (true) {
      const int peer = ::accept(listening, nullptr, nullptr);
      auto* session = ssh_new();
      if (peer < 0 || ssh_bind_accept_fd(binding, session, peer) != SSH_OK) ::_exit(1);
      serve(session, size);
      ssh_disconnect(session);
      ssh_free(session);
    }
  }
  ::close(listening);
}

BareSsh::~BareSsh() {
  ::kill(child_, SIGKILL);
  ::waitpid(child_, nullptr, 0);
}

}  // namespace vantro::bench
