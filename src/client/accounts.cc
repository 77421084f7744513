#include "client/accounts.h"

#include <fmt/format.h>
#include <fstream>
#include <iostream>

#include "api/access.h"
#include "base/clock.h"
#include "base/sizes.h"
#include "base/visible_name.h"
#include "client/password.h"
#include "client/render.h"

namespace vantro::client {
namespace {

using nlohmann::json;

constexpr std::size_t kLongestKeyFile = 64 * 1024;

std::string keys_path(const std::string& account) {
  return "/v1/accounts/" + url_escape(account) + "/keys";
}

std::string limits_of(const api::Account& account) {
  std::string text;
  const auto add = [&](const std::string& one) {
    text += (text.empty() ? "" : ", ") + one;
  };
  if (!account.from.empty()) add("from " + account.from);
  if (!account.part.empty()) add("in " + shown(account.part) + "/");
  if (account.until) add("until " + shown_time(*account.until));
  if (!account.on) add("switched off");
  return text;
}

void write_account(const Terminal& terminal, const json& answer) {
  const auto account = answer.get<api::Account>();
  terminal.write(terminal.toned(account.name, Tone::kHead) + "\n");
  terminal.write(fmt::format("  may      {}\n", account.may));
  terminal.write(fmt::format("  from     {}\n", account.from.empty()
                                                    ? "everywhere that is open"
                                                    : account.from));
  if (!account.part.empty()) {
    terminal.write(fmt::format("  in       {}/\n", shown(account.part)));
  }
  if (account.until) {
    terminal.write(fmt::format("  until    {}\n", shown_time(*account.until)));
  }
  if (!account.on) terminal.write(terminal.toned("  switched off", Tone::kBad) + "\n");
  if (!account.remarks.empty()) {
    terminal.write(fmt::format("  remarks  {}\n", shown(account.remarks, 300)));
  }
}

Result<json> body_of(const AccountOptions& options) {
  json body = json::object();
  const auto folded = [](const std::string& text) { return base::folded(text); };
  if (options.may) body["may"] = *options.may;
  if (options.from) body["from"] = *options.from;
  if (options.part) body["part"] = folded(*options.part) == "all" ? "" : *options.part;
  if (options.remarks) body["remarks"] = *options.remarks;
  if (options.until) {
    auto time = iso_of(*options.until);
    if (!time) return tl::unexpected(time.error());
    body["until"] = std::move(*time);
  }
  if (options.on) body["on"] = true;
  if (options.off) body["on"] = false;
  return body;
}

}  // namespace

Done add_account(const Context& context, const AccountOptions& options) {
  auto body = body_of(options);
  if (!body) return tl::unexpected(body.error());
  auto password = ask_for_password(options.name);
  if (!password) return tl::unexpected(password.error());
  (*body)["name"] = options.name;
  (*body)["password"] = std::move(*password);
  return show_answer(context, context.api.send("POST", "/v1/accounts", *body),
                     write_account);
}

Done change_account(const Context& context, const AccountOptions& options) {
  auto body = body_of(options);
  if (!body) return tl::unexpected(body.error());
  if (options.new_password) {
    auto password = ask_for_password(options.name);
    if (!password) return tl::unexpected(password.error());
    (*body)["password"] = std::move(*password);
  }
  if (body->empty()) {
    return wrong_use(
        "nothing to change: give --password, --may, --from, --part, --until, --remarks, "
        "--on or --off");
  }
  return show_answer(
      context,
      context.api.send("PATCH", "/v1/accounts/" + url_escape(options.name), *body),
      write_account);
}

Done list_accounts(const Context& context) {
  return show(context, "/v1/accounts", [](const Terminal& terminal, const json& answer) {
    Table table({{"ACCOUNT"},
                 {"MAY"},
                 {"KEYS", Table::Align::kRight},
                 {"LAST USED"},
                 {"LIMITS"},
                 {"REMARKS"}});
    for (const auto& one : list_of<api::Account>(answer, "accounts")) {
      table.add({{one.name, one.on ? Tone::kPlain : Tone::kBad},
                 {one.may},
                 {one.keys == 0 ? "-" : std::to_string(one.keys)},
                 {one.last_used_at
                      ? shown_time(*one.last_used_at) + " from " + one.last_used_from
                      : "never"},
                 {limits_of(one)},
                 {one.remarks}});
    }
    table.write(terminal);
  });
}

Done remove_account(const Context& context, const std::string& name) {
  return show_answer(
      context, context.api.send("DELETE", "/v1/accounts/" + url_escape(name)),
      [&](const Terminal& terminal, const json&) {
        terminal.write(fmt::format(
            "{}: removed; what it has fetched and sent stays on record\n", shown(name)));
      });
}

Done add_key(const Context& context, const KeyOptions& options) {
  std::ifstream file;
  if (options.file != "-") file.open(options.file, std::ios::binary);
  std::istream& in = options.file == "-" ? std::cin : file;
  std::string text(kLongestKeyFile, '\0');
  if (in) in.read(text.data(), static_cast<std::streamsize>(text.size()));
  if (!in && !in.eof()) {
    return tl::unexpected(
        Failure{ExitCode::kFile, fmt::format("{} can't be read", shown(options.file))});
  }
  text.resize(static_cast<std::size_t>(in.gcount()));
  json body{{"key", text}};
  if (options.remark) body["remark"] = *options.remark;
  return show_answer(
      context, context.api.send("POST", keys_path(options.account), body),
      [&](const Terminal& terminal, const json& answer) {
        const auto key = answer.get<api::AccountKey>();
        terminal.write(fmt::format("{} may log in with {} {}{}\n", shown(options.account),
                                   key.type, key.fingerprint,
                                   key.remark.empty() ? "" : ", " + shown(key.remark)));
      });
}

Done list_keys(const Context& context, const std::string& account) {
  return show(
      context, keys_path(account), [&](const Terminal& terminal, const json& answer) {
        Table table({{"TYPE"}, {"FINGERPRINT"}, {"ADDED"}, {"REMARK"}});
        for (const auto& one : list_of<api::AccountKey>(answer, "keys")) {
          table.add(
              {{one.type}, {one.fingerprint}, {shown_time(one.added_at)}, {one.remark}});
        }
        write_or(table, terminal,
                 shown(account) + " has no keys; it logs in with its password.");
      });
}

Done remove_key(const Context& context, const KeyOptions& options) {
  return show_answer(context,
                     context.api.send("DELETE", keys_path(options.account) +
                                                    "?key=" + url_escape(options.key)),
                     [&](const Terminal& terminal, const json& answer) {
                       const auto key = answer.get<api::AccountKey>();
                       terminal.write(fmt::format(
                           "{}: {} no longer opens; what runs with it goes on to "
                           "its end\n",
                           shown(options.account), key.fingerprint));
                     });
}

Done show_locations(const Context& context, const LocationOptions& options) {
  auto path = "/v1/locations?image=" + url_escape(options.image);
  if (!options.device.empty()) path += "&for=" + url_escape(options.device);
  if (!options.account.empty()) path += "&account=" + url_escape(options.account);
  return show(context, path, [&](const Terminal& terminal, const json& answer) {
    const auto all = answer.get<api::Locations>();
    for (const auto& one : all.locations) {
      // Alone on its line, so that all of it can be taken.
      terminal.write(shown(one.text, 2000) + "\n");
      if (!one.remark.empty()) terminal.write("    " + shown(one.remark, 400) + "\n");
      if (!one.note.empty()) {
        terminal.write(terminal.toned("    not for " + shown(options.device) + ": " +
                                          shown(one.note, 400),
                                      Tone::kBad) +
                       "\n");
      }
    }
    if (all.locations.empty()) {
      terminal.write(options.device.empty()
                         ? "No listener has an address that a device could use.\n"
                         : "There is no way from here to " + shown(options.device) +
                               "; see 'vantro status' for what is listened on.\n");
    }
    terminal.write(fmt::format("  size     {}\n", exact_size(all.size)));
    write_digests(terminal, all.digests);
  });
}

}  // namespace vantro::client
