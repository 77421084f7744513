// The servers that somebody has logged in to: their address, token and certificate. In
// ~/.config/vantro/servers.toml, for its owner only.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "client/api_client.h"

namespace vantro::client {

struct KnownServer {
  std::string name;
  std::string url;
  std::string person;
  std::string token;
  std::string fingerprint;  // SHA-256 of its certificate, "AB:CD:..."; empty: no TLS
  bool session = false;     // the token comes from a log-in with a password
};

struct KnownServers {
  std::string usual;  // the name of the usual one, if none is named; empty: none
  std::vector<KnownServer> servers;

  // By name; null: there is none.
  const KnownServer* find(const std::string& name) const;
  const KnownServer* with_url(const std::string& url) const;
};

// "~/.config/vantro/servers.toml", or below XDG_CONFIG_HOME.
std::string servers_file();
// Empty if the file does not exist. kFile: it cannot be read, is not such a file, or
// others can read it, too.
Result<KnownServers> read_servers();
// On disk when it returns a value.
Result<void> write_servers(const KnownServers& servers);

// "https://vantro.example:7443" -> "vantro.example"
std::string host_of(const std::string& url);
// Refused without TLS, also on this machine: anybody may listen at a port there while no
// vantrod does, and would get the token or the password.
Result<void> shows_who_answers(const std::string& url);

// How the command line and the environment name the server.
struct Wanted {
  std::string server;      // --server, VANTRO_SERVER
  std::string url;         // --url, VANTRO_URL; or the path of a local socket
  std::string token_file;  // --token-file
  std::string token;       // VANTRO_TOKEN
};
// Where to call, and with what: the named server; else the given address; else the local
// socket of this machine's vantrod; else the usual one of the known servers. kNoServer:
// there is none of these. An empty token passes: the server's refusal says what to do.
Result<Access> access_to(const Wanted& wanted);

}  // namespace vantro::client
