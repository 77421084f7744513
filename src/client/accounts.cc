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
  // A missing value keeps the old one; times as they were typed.
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

Result<api::AccountFields> fields_of(const Context& context,
                                     const AccountOptions& options) {
  auto fields = options.fields;
  if (fields.part && base::folded(*fields.part) == "all") fields.part = "";
  if (fields.until) {
    auto time = iso_of(context, *fields.until);
    if (!time) return tl::unexpected(time.error());
    fields.until = std::move(*time);
  }
  return fields;
}

Done add_account(const Context& context, const AccountOptions& options) {
  auto fields = fields_of(context, options);
  if (!fields) return tl::unexpected(fields.error());
  auto password = ask_for_password(options.name);
  if (!password) return tl::unexpected(password.error());
  fields->name = options.name;
  fields->password = std::move(*password);
  return show_answer(context, context.api.call(api::kAddAccount, {}, *fields),
                     write_account);
}

Done change_account(const Context& context, const AccountOptions& options) {
  auto fields = fields_of(context, options);
  if (!fields) return tl::unexpected(fields.error());
  if (options.new_password) {
    auto password = ask_for_password(options.name);
    if (!password) return tl::unexpected(password.error());
    fields->password = std::move(*password);
  }
  if (api::given_texts(*fields).empty() && !fields->on) {
    return wrong_use(
        "nothing to change: give --password, --may, --networks, --folder, --until, "
        "--remark, "
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
                             {"KEYS", Table::Align::kRight, 2},
                             {"LAST USED", Table::Align::kLeft, 1},
                             {"LIMITS"},
                             {"REMARK", Table::Align::kLeft, 3}});
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

Done remove_account(const Context& context, const std::string& name, bool yes) {
  const auto asked = ask_first(
      context, yes, fmt::format("Remove the account '{}' for good?", shown(name)));
  if (!asked) return asked;
  return show(
      context, api::kRemoveAccount, {name},
      [&](const Terminal& terminal, const api::AccountRemoved&) {
        terminal.write(fmt::format(
            "{}: removed; the ledger keeps what it fetched and sent\n", shown(name)));
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
        Table table({{"TYPE", Table::Align::kLeft, 1},
                     {"FINGERPRINT"},
                     {"ADDED", Table::Align::kLeft, 2},
                     {"REMARK"}});
        for (const auto& one : all.keys) {
          table.add(
              {{one.type}, {one.fingerprint}, {shown_time(one.added_at)}, {one.remark}});
        }
        write_or(table, terminal,
                 shown(account) + " has no keys; it logs in with its password.");
      });
}

Done remove_key(const Context& context, const api::KeyAsked& options, bool yes) {
  const auto asked = ask_first(context, yes,
                               fmt::format("Remove the key '{}' of '{}'?",
                                           shown(options.key), shown(options.name)));
  if (!asked) return asked;
  return show(context, api::kRemoveAccountKey, options,
              [&](const Terminal& terminal, const api::AccountKey& key) {
                terminal.write(fmt::format(
                    "{}: {} no longer opens sessions; open ones go on to their end\n",
                    shown(options.name), key.fingerprint));
              });
}

Done show_locations(const Context& context, const api::LocationsAsked& options) {
  return show(
      context, api::kLocations, options,
      [&](const Terminal& terminal, const api::Locations& all) {
        for (const auto& one : all.locations) {
          // Alone on its line, so that it is easy to copy.
          terminal.write(shown(one.text, 2000) + "\n");
          // And each value, for devices that ask for them one by one.
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
  command.value("ACCOUNT", o.name, "Name of the account").required();
  command.value("--may", o.fields.may,
                "fetch, deposit, read-back and hand-in, comma-separated, or none (a new "
                "one: fetch,deposit)");
  command.value("--networks", o.fields.from,
                "Allow it from these networks only; or everywhere that is open");
  command.value("--folder", o.fields.part, "Folder that it is limited to, or all");
  command.value("--until", o.fields.until, "End it at this time; 'ever' for no end");
  command.value("--remark", o.fields.remarks, "Whose it is, and what for");
}

void key_commands(const Command& account) {
  const auto key = account.group("key", "Manage the SSH keys of an account");
  {
    auto& o = key.keep<KeyOptions>();
    const auto add = key.add("add", "Add a key; the password stays valid",
                             [&o](const Context& c) { return add_key(c, o); });
    add.value("ACCOUNT", o.account, "Name of the account").required();
    add.value("FILE", o.file, "Public key (usually *.pub); - is standard input")
        .required();
    add.value("--remark", o.remark,
              "Remark, such as whose key it is (default: the key's comment)");
    add.example("account key add night-shift ~/.ssh/id_ed25519.pub");
  }
  {
    auto& name = key.keep<std::string>();
    const auto list = key.add("list", "List the keys of an account",
                              [&name](const Context& c) { return list_keys(c, name); });
    list.value("ACCOUNT", name, "Name of the account").required();
    list.shows_list().example("account key list night-shift");
  }
  {
    struct Remove {
      api::KeyAsked asked;
      bool yes = false;
    };
    auto& o = key.keep<Remove>();
    const auto remove =
        key.add("remove", "Remove a key; the next log-in with it is refused",
                [&o](const Context& c) { return remove_key(c, o.asked, o.yes); });
    remove.value("ACCOUNT", o.asked.name, "Name of the account").required();
    remove.value("KEY", o.asked.key, "Fingerprint or remark of the key").required();
    yes_flag(remove, o.yes);
    remove.example("account key remove night-shift \"the crew's laptop\"");
  }
}

}  // namespace

void account_commands(const Command& top) {
  const auto account =
      top.group("account", "Manage the accounts that devices and crews log in with");
  {
    auto& o = account.keep<AccountOptions>();
    const auto add =
        account.add("add",
                    "Add an account; its password is asked for, or read from "
                    "standard input",
                    [&o](const Context& c) { return add_account(c, o); });
    account_fields(add, o);
    add.example(
           "account add night-shift --may fetch,deposit --networks 10.20.0.0/16 --until "
           "30d")
        .related({"account key add", "account list", "person add"});
  }
  account
      .add("list", "List all accounts; 'anonymous' is everybody without one",
           list_accounts)
      .shows_list()
      .example("account list")
      .related({"account change"});
  {
    auto& o = account.keep<AccountOptions>();
    const auto change =
        account.add("change", "Change what an account may do, or its password",
                    [&o](const Context& c) { return change_account(c, o); });
    account_fields(change, o);
    change.flag("--password", o.new_password,
                "Ask for a new password, or read it from standard input");
    const auto off = change.flag(
        "--off", [&o] { o.fields.on = false; }, "Switch it off for now");
    change
        .flag(
            "--on", [&o] { o.fields.on = true; }, "Switch it on again")
        .excludes(off);
    change.example("account change anonymous --may fetch")
        .example("account change night-shift --off")
        .related({"account list"});
  }
  {
    struct Remove {
      std::string name;
      bool yes = false;
    };
    auto& o = account.keep<Remove>();
    const auto remove =
        account.add("remove", "Remove an account for good; 'change --off' can be undone",
                    [&o](const Context& c) { return remove_account(c, o.name, o.yes); });
    remove.value("ACCOUNT", o.name, "Name of the account").required();
    yes_flag(remove, o.yes);
    remove.example("account remove night-shift").related({"account change"});
  }
  key_commands(account);
}

void location_command(const Command& top) {
  auto& o = top.keep<api::LocationsAsked>();
  const auto location =
      top.add("location", "Show the complete address to paste, for each protocol",
              [&o](const Context& c) { return show_locations(c, o); });
  location.value("IMAGE", o.image, "Image, or a name on offer").required();
  location.value("--device", o.device,
                 "Device that will ask: shows the server's address for it, and what is "
                 "closed to it");
  location.value("--account", o.account,
                 "Account that it logs in with (the password is never shown)");
  location.example("location causeway4-system-7.6.0.img --device tidegate-rtr")
      .related({"job sheet", "offer list"});
}

}  // namespace vantro::client
