#include "client/log_in.h"

#include <algorithm>
#include <fmt/format.h>
#include <map>
#include <string>
#include <unistd.h>

#include "api/people.h"
#include "base/visible_name.h"
#include "client/password.h"
#include "client/render.h"
#include "client/servers.h"

namespace vantro::client {
namespace {

struct LogInOptions {
  std::string url;
  std::string as;           // with a password
  std::string name;         // of the server; empty: the host of the URL
  std::string fingerprint;  // that its certificate must have
};

std::string json_text(const std::map<std::string, std::string>& told) {
  return api::indented(api::json_of(told)) + "\n";
}

// "ab:cd" and "ABCD" are the same.
std::string plain(const std::string& fingerprint) {
  auto text = base::folded(fingerprint);
  std::erase_if(text, [](char c) { return c == ':' || c == ' '; });
  return text;
}

// The fingerprint of the certificate, after the person has confirmed it.
Result<std::string> confirmed(const LogInOptions& options, const KnownServer* before) {
  const auto seen = ApiClient({options.url}).certificate();
  if (!seen) return seen;
  if (!options.fingerprint.empty()) {
    if (plain(options.fingerprint) == plain(*seen)) return seen;
    return tl::unexpected(
        Failure{ExitCode::kToken,
                fmt::format("{} shows another certificate, {}; nothing was sent to it",
                            options.url, *seen)});
  }
  if (before != nullptr && before->fingerprint == *seen) return seen;
  std::string question =
      fmt::format("{} has the certificate\n  {}\n", options.url, *seen);
  if (before != nullptr && !before->fingerprint.empty()) {
    question += fmt::format("and had another one before:\n  {}\n", before->fingerprint);
  }
  question +=
      "Compare it with the one in 'vantro status' on the server itself.\nIs it the same? "
      "Type yes or no: ";
  const auto answer = ask_at_terminal(question);
  if (!answer) {
    return tl::unexpected(
        Failure{ExitCode::kToken,
                fmt::format("{} has the certificate {}; compare it with 'vantro status' "
                            "on the server itself, and give it with --fingerprint",
                            options.url, *seen)});
  }
  if (base::folded(*answer) == "yes") return seen;
  return tl::unexpected(
      Failure{ExitCode::kToken, "you did not confirm the certificate; nothing was sent"});
}

Result<std::string> checked_url(std::string url) {
  while (url.ends_with('/')) url.pop_back();
  const auto secure = url.starts_with("https://");
  if (!secure && !url.starts_with("http://")) {
    return wrong_use(
        fmt::format("'{}' is not the address of a server; example: "
                    "https://192.0.2.10:7443",
                    base::printable(url, 100)));
  }
  if (auto closed = shows_who_answers(url); !closed) {
    return tl::unexpected(closed.error());
  }
  return url;
}

Done log_in(const Context& context, LogInOptions options) {
  auto url = checked_url(options.url);
  if (!url) return tl::unexpected(url.error());
  options.url = std::move(*url);
  auto known = read_servers();
  if (!known) return tl::unexpected(known.error());
  KnownServer server;
  server.name = options.name.empty() ? host_of(options.url) : options.name;
  server.url = options.url;
  const auto* before = known->with_url(options.url);
  if (before == nullptr) before = known->find(server.name);
  if (options.url.starts_with("https://")) {
    auto fingerprint = confirmed(options, before);
    if (!fingerprint) return tl::unexpected(fingerprint.error());
    server.fingerprint = std::move(*fingerprint);
  }
  Access access;
  access.url = options.url;
  access.fingerprint = server.fingerprint;
  if (options.as.empty()) {
    auto token = ask_hidden("Token: ", "token");
    if (!token) return tl::unexpected(token.error());
    access.token = std::move(*token);
  } else {
    auto password = ask_hidden(fmt::format("Password of '{}': ", options.as), "password");
    if (!password) return tl::unexpected(password.error());
    const auto session =
        ApiClient(access).call(api::kLogIn, {}, {options.as, *password, "", false});
    if (!session) return tl::unexpected(session.error());
    access.token = session->value.token;
    server.session = true;
  }
  server.token = access.token;
  const auto me = ApiClient(access).call(api::kMe);
  if (!me) return tl::unexpected(me.error());
  server.person = me->value.name;
  std::erase_if(known->servers, [&](const auto& one) { return one.name == server.name; });
  if (known->find(known->usual) == nullptr) known->usual = server.name;
  known->servers.push_back(server);
  if (auto written = write_servers(*known); !written) return written;
  return show_answer(
      context, Result<Answered<api::Me>>(*me),
      [&](const Terminal& terminal, const api::Me& who) {
        terminal.write(fmt::format("{} at {}: {}{}{}\n", shown(who.name), server.url,
                                   who.role,
                                   who.rights == "none" ? "" : ", with " + who.rights,
                                   who.until ? ", until " + shown_time(*who.until) : ""));
        terminal.write(fmt::format(
            "{}\n",
            known->usual == server.name
                ? "'vantro' calls this server from now on."
                : fmt::format("Call it with 'vantro --server {}'; without, 'vantro' "
                              "calls '{}'.",
                              shown(server.name), shown(known->usual))));
      });
}

Done log_out(const Context& context, const std::string& name) {
  auto known = read_servers();
  if (!known) return tl::unexpected(known.error());
  const auto* server = known->find(name.empty() ? known->usual : name);
  if (server == nullptr) {
    return wrong_use(known->servers.empty()
                         ? "you are not logged in anywhere"
                         : fmt::format("unknown server '{}'; 'vantro server list' "
                                       "shows all",
                                       shown(name)));
  }
  const auto gone = *server;
  std::string note;
  if (gone.session) {
    // Already ended is just as good.
    const auto ended =
        ApiClient({gone.url, gone.token, gone.fingerprint}).call(api::kLogOut);
    if (!ended && ended.error().code != ExitCode::kToken) {
      note =
          fmt::format("the server did not get the log-out: {}", ended.error().sentence);
    }
  } else {
    note = "its token stays valid, as 'vantro token list' shows";
  }
  std::erase_if(known->servers, [&](const auto& one) { return one.name == gone.name; });
  if (known->usual == gone.name) known->usual.clear();
  if (auto written = write_servers(*known); !written) return written;
  const Terminal terminal(stdout);
  if (context.json) {
    terminal.write_json(json_text({{"logged_out", gone.name}, {"note", note}}));
  } else {
    terminal.write(fmt::format("Logged out of '{}'{}{}\n", shown(gone.name),
                               note.empty() ? "" : "; ", note));
  }
  return {};
}

Done list_servers(const Context& context) {
  const auto known = read_servers();
  if (!known) return tl::unexpected(known.error());
  const Terminal terminal(stdout, &context.view);
  if (context.view.for_programs()) {
    api::Rows rows{{"name", "url", "person", "certificate", "usual"}, {}};
    JsonList list(terminal, "servers");
    for (const auto& one : known->servers) {
      const std::string usual = one.name == known->usual ? "yes" : "no";
      auto json = api::json_of(
          std::map<std::string, std::string>{{"name", one.name},
                                             {"url", one.url},
                                             {"person", one.person},
                                             {"certificate", one.fingerprint},
                                             {"usual", usual}});
      if (context.json) list.add(json);
      rows.rows.push_back(
          {std::move(json), {one.name, one.url, one.person, one.fingerprint, usual}});
    }
    if (!context.json) return show_rows(terminal, context.view, rows);
    list.end();
    return {};
  }
  Table table({{"SERVER"},
               {"ADDRESS"},
               {"PERSON"},
               {"IN USE"},
               {"CERTIFICATE", Table::Align::kLeft, 1}});
  for (const auto& one : known->servers) {
    table.add(
        {{one.name},
         {one.url},
         {one.person},
         {one.name == known->usual ? "usual" : ""},
         {one.fingerprint.empty() ? "none" : one.fingerprint.substr(0, 23) + "..."}});
  }
  write_or(table, terminal, "No servers yet. Log in to one: vantro login URL");
  if (!terminal.complaint().empty()) return wrong_use(terminal.complaint());
  return {};
}

Done use_server(const Context& context, const std::string& name) {
  auto known = read_servers();
  if (!known) return tl::unexpected(known.error());
  if (known->find(name) == nullptr) {
    return wrong_use(
        fmt::format("unknown server '{}'; 'vantro server list' shows all", shown(name)));
  }
  known->usual = name;
  if (auto written = write_servers(*known); !written) return written;
  const Terminal terminal(stdout);
  if (context.json) {
    terminal.write_json(json_text({{"usual", name}}));
  } else {
    terminal.write(fmt::format("'vantro' calls '{}' from now on.\n", shown(name)));
  }
  return {};
}

}  // namespace

void log_in_commands(const Command& top) {
  {
    auto& o = top.keep<LogInOptions>();
    const auto command =
        top.add("login", "Log in to a server, with a token or a password",
                [&o](const Context& c) { return log_in(c, o); });
    command.without_server();
    command.value("URL", o.url, "Address of the server").required();
    command.value("--by", o.as, "Log in with this person's password, not with a token");
    command.value("--name", o.name, "Name to call the server by (default: its host)");
    command.value("--fingerprint", o.fingerprint,
                  "SHA-256 of the only certificate to accept");
    command.example("login https://192.0.2.10:7443")
        .related({"logout", "server list", "token add"});
  }
  {
    auto& name = top.keep<std::string>();
    const auto command = top.add("logout", "End a log-in and forget its token",
                                 [&name](const Context& c) { return log_out(c, name); });
    command.without_server();
    command.value("SERVER", name, "Name of the server (default: the usual one)");
    command.example("logout").related({"login"});
  }
  const auto server = top.group("server", "Manage the servers that you logged in to");
  server.add("list", "List the servers that you logged in to", list_servers)
      .without_server()
      .shows_list()
      .example("server list")
      .related({"login"});
  {
    auto& name = server.keep<std::string>();
    const auto command =
        server.add("use", "Choose the server that is called without a name",
                   [&name](const Context& c) { return use_server(c, name); });
    command.without_server();
    command.value("SERVER", name, "Name of the server").required();
    command.example("server use hq").related({"server list"});
  }
}

}  // namespace vantro::client
