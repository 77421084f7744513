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

constexpr std::size_t kLongestKeyFile = 64 * 1024;

struct AccountOptions {
  std::string name;
  bool new_password = false;  // change: ask for one
  // What is not given stays as it is; times as they were typed.
  api::AccountFields fields;
};

struct KeyOptions {
  std::string account;
  std::string file;  // with the public key; "-": standard input
  std::optional<std::string> remark;
};

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

void write_account(const Terminal& terminal, const api::Account& account) {
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

Result<api::AccountFields> fields_of(const AccountOptions& options) {
  auto fields = options.fields;
  if (fields.part && base::folded(*fields.part) == "all") fields.part = "";
  if (fields.until) {
    auto time = iso_of(*fields.until);
    if (!time) return tl::unexpected(time.error());
    fields.until = std::move(*time);
  }
  return fields;
}

Done add_account(const Context& context, const AccountOptions& options) {
  auto fields = fields_of(options);
  if (!fields) return tl::unexpected(fields.error());
  auto password = ask_for_password(options.name);
  if (!password) return tl::unexpected(password.error());
  fields->name = options.name;
  fields->password = std::move(*password);
  return show_answer(context, context.api.call(api::kAddAccount, {}, *fields),
                     write_account);
}

Done change_account(const Context& context, const AccountOptions& options) {
  auto fields = fields_of(options);
  if (!fields) return tl::unexpected(fields.error());
  if (options.new_password) {
    auto password = ask_for_password(options.name);
    if (!password) return tl::unexpected(password.error());
    fields->password = std::move(*password);
  }
  if (api::given_texts(*fields).empty() && !fields->on) {
    return wrong_use(
        "nothing to change: give --password, --may, --from, --part, --until, --remarks, "
        "--on or --off");
  }
  return show_answer(context,
                     context.api.call(api::kChangeAccount, {options.name}, *fields),
                     write_account);
}

Done list_accounts(const Context& context) {
  return show(context, api::kAccounts, {},
              [](const Terminal& terminal, const api::AccountList& all) {
                Table table({{"ACCOUNT"},
                             {"MAY"},
                             {"KEYS", Table::Align::kRight},
                             {"LAST USED"},
                             {"LIMITS"},
                             {"REMARKS"}});
                for (const auto& one : all.accounts) {
                  table.add({{one.name, one.on ? Tone::kPlain : Tone::kBad},
                             {one.may},
                             {one.keys == 0 ? "-" : std::to_string(one.keys)},
                             {one.last_used_at ? shown_time(*one.last_used_at) +
                                                     " from " + one.last_used_from
                                               : "never"},
                             {limits_of(one)},
                             {one.remarks}});
                }
                table.write(terminal);
              });
}

Done remove_account(const Context& context, const std::string& name) {
  return show(
      context, api::kRemoveAccount, {name},
      [&](const Terminal& terminal, const api::AccountRemoved&) {
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
  return show_answer(
      context,
      context.api.call(api::kAddAccountKey, {options.account}, {text, options.remark}),
      [&](const Terminal& terminal, const api::AccountKey& key) {
        terminal.write(fmt::format("{} may log in with {} {}{}\n", shown(options.account),
                                   key.type, key.fingerprint,
                                   key.remark.empty() ? "" : ", " + shown(key.remark)));
      });
}

Done list_keys(const Context& context, const std::string& account) {
  return show(
      context, api::kAccountKeys, {account},
      [&](const Terminal& terminal, const api::AccountKeys& all) {
        Table table({{"TYPE"}, {"FINGERPRINT"}, {"ADDED"}, {"REMARK"}});
        for (const auto& one : all.keys) {
          table.add(
              {{one.type}, {one.fingerprint}, {shown_time(one.added_at)}, {one.remark}});
        }
        write_or(table, terminal,
                 shown(account) + " has no keys; it logs in with its password.");
      });
}

Done remove_key(const Context& context, const api::KeyAsked& options) {
  return show(context, api::kRemoveAccountKey, options,
              [&](const Terminal& terminal, const api::AccountKey& key) {
                terminal.write(
                    fmt::format("{}: {} no longer opens; what runs with it goes on to "
                                "its end\n",
                                shown(options.name), key.fingerprint));
              });
}

Done show_locations(const Context& context, const api::LocationsAsked& options) {
  return show(
      context, api::kLocations, options,
      [&](const Terminal& terminal, const api::Locations& all) {
        for (const auto& one : all.locations) {
          // Alone on its line, so that all of it can be taken.
          terminal.write(shown(one.text, 2000) + "\n");
          // And each value, for devices that ask for one after the other.
          if (!options.device.empty()) {
            terminal.write(fmt::format(
                "    server {}  port {}{}  name {}{}\n", shown(one.server), one.port,
                one.account.empty() ? "" : "  account " + shown(one.account),
                shown(all.name), one.mode.empty() ? "" : "  mode " + one.mode));
          }
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
                             : "The server has no route to " + shown(options.device) +
                                   "; 'vantro status' shows where it listens.\n");
        }
        terminal.write(fmt::format("  size     {}\n", exact_size(all.size)));
        write_digests(terminal, all.digests);
      });
}

void account_fields(const Command& command, AccountOptions& o) {
  command.value("NAME", o.name, "its name").required();
  command.value("--may", o.fields.may,
                "fetch, deposit, read-back and hand-in, separated by commas, or none "
                "(a new one: fetch,deposit)");
  command.value("--from", o.fields.from,
                "networks, separated by commas: 192.0.2.0/24, private, loopback; or "
                "everywhere that is open");
  command.value("--part", o.fields.part,
                "the folder of the tree that it is kept to, or all");
  command.value("--until", o.fields.until,
                "a time, or a span such as 8h or 30d, or ever");
  command.value("--remarks", o.fields.remarks, "whose it is, and what for");
}

void key_commands(const Command& account) {
  const auto key =
      account.group("key", "the public keys that an account logs in with over SSH");
  {
    auto& o = key.keep<KeyOptions>();
    const auto add = key.add("add", "one more key; the password stays good as well",
                             [&o](const Context& c) { return add_key(c, o); });
    add.value("ACCOUNT", o.account, "whose").required();
    add.value("FILE", o.file, "the public key (usually *.pub), or - for standard input")
        .required();
    add.value("--remark", o.remark, "whose it is (default: what stands behind the key)");
  }
  {
    auto& name = key.keep<std::string>();
    key.add("list", "its keys", [&name](const Context& c) { return list_keys(c, name); })
        .value("ACCOUNT", name, "whose")
        .required();
  }
  {
    auto& o = key.keep<api::KeyAsked>();
    const auto remove =
        key.add("remove", "Remove a key; it is refused from the next log-in on",
                [&o](const Context& c) { return remove_key(c, o); });
    remove.value("ACCOUNT", o.name, "whose").required();
    remove.value("KEY", o.key, "its fingerprint or its remark").required();
  }
}

}  // namespace

void account_commands(const Command& top) {
  const auto account =
      top.group("account", "who may fetch, send and hand in, with a password");
  {
    auto& o = account.keep<AccountOptions>();
    account_fields(
        account.add("add",
                    "a new account; the password is asked for, or read from standard "
                    "input",
                    [&o](const Context& c) { return add_account(c, o); }),
        o);
  }
  account.add("list", "all of them; 'anonymous' is everybody without one", list_accounts);
  {
    auto& o = account.keep<AccountOptions>();
    const auto change =
        account.add("change", "what it may, or its password",
                    [&o](const Context& c) { return change_account(c, o); });
    account_fields(change, o);
    change.flag("--password", o.new_password,
                "ask for a new one, or read it from standard input");
    const auto off = change.flag(
        "--off", [&o] { o.fields.on = false; }, "switch it off for now");
    change
        .flag(
            "--on", [&o] { o.fields.on = true; }, "and on again")
        .excludes(off);
  }
  {
    auto& name = account.keep<std::string>();
    account
        .add("remove", "for good; 'change --off' can be taken back",
             [&name](const Context& c) { return remove_account(c, name); })
        .value("NAME", name, "its name")
        .required();
  }
  key_commands(account);
  auto& o = top.keep<api::LocationsAsked>();
  const auto location =
      top.add("location", "the complete text to paste into a device, for each protocol",
              [&o](const Context& c) { return show_locations(c, o); });
  location.value("IMAGE", o.image, "an image, or a name on offer").required();
  location.value("--for", o.device,
                 "The device's name or address: it gets the server's address that it "
                 "would use, and what is closed to it is said");
  location.value("--account", o.account,
                 "the account that it logs in with (the password is never shown)");
}

}  // namespace vantro::client
