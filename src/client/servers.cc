#include "client/servers.h"

#include <algorithm>
#include <array>
#include <cerrno>
#include <cstdlib>
#include <cstring>
#include <fcntl.h>
#include <filesystem>
#include <fmt/format.h>
#include <fstream>
#include <grp.h>
#include <pwd.h>
#include <sstream>
#include <sys/stat.h>
#include <toml++/toml.h>
#include <unistd.h>

#include "base/address.h"
#include "base/unique_fd.h"
#include "base/visible_name.h"
#include "base/whole_file.h"
#include "client/answers.h"

namespace vantro::client {
namespace {

std::string environment(const char* name) {
  const char* value = std::getenv(name);
  return value == nullptr ? "" : value;
}

std::string text_in(const toml::table& table, const char* key) {
  return table[key].value_or(std::string());
}

tl::unexpected<Failure> bad_file(const std::string& file, const std::string& why) {
  return tl::unexpected(Failure{ExitCode::kFile, file + ": " + why});
}

// Empty: vantrod's usual places have none.
std::string local_socket() {
  std::vector<std::string> places{"/run/vantro"};
  if (const auto own = environment("XDG_RUNTIME_DIR"); !own.empty()) {
    places.push_back(own + "/vantro");
  }
  for (const auto& place : places) {
    const auto path = place + "/management.sock";
    struct stat info {};
    if (::stat(path.c_str(), &info) == 0 && S_ISSOCK(info.st_mode)) return path;
  }
  return {};
}

// Whether a server listens at a socket that this user may use.
Result<void> usable(const std::string& path) {
  if (::access(path.c_str(), R_OK | W_OK) == 0) return {};
  struct stat info {};
  if (::stat(path.c_str(), &info) != 0 && errno != EACCES) {
    return tl::unexpected(Failure{
        ExitCode::kNoServer,
        fmt::format(
            "no vantrod answers at {} ({}). Start it with 'vantrod --state DIR' or "
            "'systemctl start vantrod', or name another one with --url or --server",
            path, std::strerror(errno))});
  }
  const auto* group = (info.st_mode & S_IWGRP) != 0 ? ::getgrgid(info.st_gid) : nullptr;
  const auto* user = ::getpwuid(::geteuid());
  const std::string who = user == nullptr ? "this user" : user->pw_name;
  return tl::unexpected(Failure{
      ExitCode::kToken,
      group == nullptr
          ? fmt::format("'{}' may not use {}; use sudo", who, path)
          : fmt::format("'{0}' may not use {1}; use sudo, or join its group and log in "
                        "again: sudo usermod -aG {2} {0}",
                        who, path, group->gr_name)});
}

Result<std::string> token_in(const std::string& file) {
  std::ifstream in(file);
  std::string token;
  if (!(in >> token)) return bad_file(file, "it has no valid token");
  return token;
}

std::string without_slash(std::string url) {
  while (url.size() > 1 && url.ends_with('/')) url.pop_back();
  return url;
}

}  // namespace

const KnownServer* KnownServers::find(const std::string& name) const {
  const auto found = std::find_if(servers.begin(), servers.end(),
                                  [&](const auto& one) { return one.name == name; });
  return found == servers.end() ? nullptr : &*found;
}

const KnownServer* KnownServers::with_url(const std::string& url) const {
  const auto found = std::find_if(servers.begin(), servers.end(),
                                  [&](const auto& one) { return one.url == url; });
  return found == servers.end() ? nullptr : &*found;
}

std::string servers_file() {
  auto folder = environment("XDG_CONFIG_HOME");
  if (folder.empty()) {
    auto home = environment("HOME");
    if (home.empty()) {
      const auto* user = ::getpwuid(::geteuid());
      home = user == nullptr ? "/" : user->pw_dir;
    }
    folder = home + "/.config";
  }
  return folder + "/vantro/servers.toml";
}

Result<KnownServers> read_servers() {
  const auto file = servers_file();
  const base::UniqueFd opened(::open(file.c_str(), O_RDONLY | O_CLOEXEC));
  if (!opened && errno == ENOENT) return KnownServers{};
  struct stat info {};
  if (!opened || ::fstat(opened.get(), &info) != 0) {
    return bad_file(file, std::strerror(errno));
  }
  if ((info.st_mode & 077) != 0) {
    return bad_file(file, fmt::format("other users can read its tokens; close it with "
                                      "'chmod 600 {}', and renew the tokens",
                                      file));
  }
  std::ifstream in(file);
  std::ostringstream text;
  text << in.rdbuf();
  KnownServers known;
  try {
    const auto table = toml::parse(text.str(), file);
    known.usual = text_in(table, "usual");
    if (const auto* servers = table["server"].as_table()) {
      for (const auto& [name, node] : *servers) {
        const auto* one = node.as_table();
        if (one == nullptr) continue;
        known.servers.push_back({std::string(name.str()), text_in(*one, "url"),
                                 text_in(*one, "person"), text_in(*one, "token"),
                                 text_in(*one, "certificate"),
                                 (*one)["session"].value_or(false)});
      }
    }
  } catch (const toml::parse_error& error) {
    return bad_file(file,
                    fmt::format("line {}: {}; correct it, or remove it and log in again",
                                error.source().begin.line, error.description()));
  }
  return known;
}

Result<void> write_servers(const KnownServers& known) {
  toml::table servers;
  for (const auto& one : known.servers) {
    toml::table table{{"url", one.url}, {"person", one.person}, {"token", one.token}};
    if (!one.fingerprint.empty()) table.insert("certificate", one.fingerprint);
    if (one.session) table.insert("session", true);
    servers.insert(one.name, std::move(table));
  }
  toml::table all;
  if (!known.usual.empty()) all.insert("usual", known.usual);
  all.insert("server", std::move(servers));
  std::ostringstream text;
  text << all << '\n';
  const auto file = servers_file();
  std::error_code failed;
  const auto folder = std::filesystem::path(file).parent_path();
  std::filesystem::create_directories(folder, failed);
  ::chmod(folder.c_str(), 0700);
  if (auto done = base::write_whole_file(file, text.str()); !done) {
    return tl::unexpected(Failure{ExitCode::kFile, done.error().sentence});
  }
  return {};
}

std::string host_of(const std::string& url) {
  auto host = url.substr(url.find("://") + 3);
  if (host.starts_with('[')) return host.substr(1, host.find(']') - 1);
  return host.substr(0, std::min(host.find(':'), host.find('/')));
}

Result<void> shows_who_answers(const std::string& url) {
  if (!url.starts_with("http://")) return {};
  return wrong_use(
      "http:// does not show who answers, so no token is sent there; on the server "
      "itself use its local socket (it needs no --url), from elsewhere https:// and the "
      "port of "
      "management.tls_listen");
}

Result<Access> access_to(const Wanted& wanted) {
  Access access;
  access.token = wanted.token;
  if (!wanted.token_file.empty()) {
    auto token = token_in(wanted.token_file);
    if (!token) return tl::unexpected(token.error());
    access.token = std::move(*token);
  }
  const auto from = [&](const KnownServer& server) {
    access.url = server.url;
    access.fingerprint = server.fingerprint;
    access.known_as = server.name;
    if (access.token.empty()) access.token = server.token;
    return access;
  };
  auto url = without_slash(wanted.url);
  if (wanted.server.empty() && url.empty()) url = local_socket();
  if (url.starts_with('/')) {
    if (auto there = usable(url); !there) return tl::unexpected(there.error());
    access.socket = url;
    access.url = "http://localhost";
    return access;
  }
  const auto known = read_servers();
  if (!known) return tl::unexpected(known.error());
  if (!wanted.server.empty()) {
    if (const auto* server = known->find(wanted.server)) return from(*server);
    std::string names;
    for (const auto& one : known->servers)
      names += (names.empty() ? "" : ", ") + one.name;
    return tl::unexpected(
        Failure{ExitCode::kUsage,
                fmt::format("unknown server '{}'; {}", base::printable(wanted.server, 80),
                            names.empty() ? "log in to one first: vantro login URL"
                                          : "known servers: " + names)});
  }
  if (!url.empty()) {
    if (const auto* server = known->with_url(url)) return from(*server);
    if (auto closed = shows_who_answers(url); !closed) {
      return tl::unexpected(closed.error());
    }
    access.url = url;
    return access;
  }
  if (const auto* server = known->find(known->usual)) return from(*server);
  return tl::unexpected(
      Failure{ExitCode::kNoServer,
              "no vantrod runs on this machine, and you are not logged in to another "
              "one. Start it with 'vantrod --state DIR', or log in: vantro login "
              "https://SERVER:7443"});
}

}  // namespace vantro::client
