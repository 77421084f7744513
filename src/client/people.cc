#include "client/people.h"

#include <fmt/format.h>

#include "api/people.h"
#include "base/visible_name.h"
#include "client/password.h"
#include "client/render.h"

namespace vantro::client {
namespace {

using Align = Table::Align;

// The label of a new person's token, if none is given.
constexpr const char* kFirstLabel = "first";

struct PersonOptions {
  std::string name;
  bool password = false;  // ask for one
  bool no_password = false;
  bool no_token = false;
  // A missing value keeps the old one; times as they were typed.
  api::PersonFields fields;
};

struct TokenOptions {
  std::string label;
  std::string of;  // empty: one's own
  std::optional<std::string> until;
  bool replace = false;
};

std::string limits_of(const api::Person& person) {
  std::string text;
  if (person.until) text = "until " + shown_time(*person.until);
  if (!person.on) text += std::string(text.empty() ? "" : ", ") + "switched off";
  return text;
}

void write_person(const Terminal& terminal, const api::Person& person) {
  terminal.write(terminal.toned(person.name, Tone::kHead) + "\n");
  terminal.write(fmt::format("  role     {}\n", person.role));
  terminal.write(fmt::format("  rights   {}\n", person.rights));
  if (person.until) {
    terminal.write(fmt::format("  until    {}\n", shown_time(*person.until)));
  }
  if (!person.on) terminal.write(terminal.toned("  switched off", Tone::kBad) + "\n");
  if (person.password) terminal.write("  password yes\n");
  if (!person.remarks.empty()) {
    terminal.write(fmt::format("  remarks  {}\n", shown(person.remarks, 300)));
  }
}

// Its text is shown once: alone on its line, so that it is easy to copy.
void write_token_text(const Terminal& terminal, const api::TokenMade& made) {
  terminal.write(fmt::format("Token '{}', shown only now:\n{}\n", shown(made.token.label),
                             made.text));
}

Result<std::optional<std::string>> time_given(const Context& context,
                                              const std::optional<std::string>& typed) {
  if (!typed) return std::nullopt;
  auto time = iso_of(context, *typed);
  if (!time) return tl::unexpected(time.error());
  return std::optional<std::string>(std::move(*time));
}

Result<api::PersonFields> fields_of(const Context& context,
                                    const PersonOptions& options) {
  auto fields = options.fields;
  auto until = time_given(context, fields.until);
  if (!until) return tl::unexpected(until.error());
  fields.until = std::move(*until);
  if (options.no_password) fields.password = "";
  if (options.password) {
    auto password = ask_for_password(options.name);
    if (!password) return tl::unexpected(password.error());
    fields.password = std::move(*password);
  }
  return fields;
}

Done add_person(const Context& context, const PersonOptions& options) {
  auto fields = fields_of(context, options);
  if (!fields) return tl::unexpected(fields.error());
  fields->name = options.name;
  const auto person = context.api.call(api::kAddPerson, {}, *fields);
  if (!person || options.no_token) return show_answer(context, person, write_person);
  // Without a token nobody could use it; it ends with the person.
  const auto token =
      context.api.call(api::kAddToken, {person->value.name}, {kFirstLabel, std::nullopt});
  if (token && context.json) {
    auto with_token = person->value;
    with_token.tokens = 1;
    Terminal(stdout).write_json(
        api::indented(
            api::with_text(api::json_of(with_token), "token", token->value.text)) +
        "\n");
    return {};
  }
  return show_answer(
      context, token, [&](const Terminal& terminal, const api::TokenMade& made) {
        write_person(terminal, person->value);
        write_token_text(terminal, made);
        const auto name = shown(person->value.name);
        terminal.write(
            person->value.role == "mirror"
                ? fmt::format(
                      "Write it to the file that mirror.token_file names at {}.\n", name)
                : fmt::format("{} types it after 'vantro login URL'.\n", name));
      });
}

Done change_person(const Context& context, const PersonOptions& options) {
  auto fields = fields_of(context, options);
  if (!fields) return tl::unexpected(fields.error());
  if (api::given_texts(*fields).empty() && !fields->on) {
    return wrong_use(
        "nothing to change: give --role, --rights, --until, --remark, --password, "
        "--no-password, --on or --off");
  }
  return show_answer(context,
                     context.api.call(api::kChangePerson, {options.name}, *fields),
                     write_person);
}

Done list_people(const Context& context) {
  return show(context, api::kPeople, {},
              [](const Terminal& terminal, const api::PersonList& all) {
                Table table({{"PERSON"},
                             {"ROLE"},
                             {"RIGHTS", Table::Align::kLeft, 2},
                             {"KNOWN BY", Table::Align::kLeft, 3},
                             {"LAST SEEN"},
                             {"LIMITS", Table::Align::kLeft, 1},
                             {"REMARK", Table::Align::kLeft, 4}});
                for (const auto& one : all.people) {
                  auto known_by = one.known_by;
                  if (known_by == "tokens") {
                    known_by = fmt::format("{} {}{}", one.tokens,
                                           one.tokens == 1 ? "token" : "tokens",
                                           one.password ? ", password" : "");
                  }
                  table.add({{one.name, one.on ? Tone::kPlain : Tone::kBad},
                             {one.role},
                             {one.rights},
                             {known_by},
                             {one.last_seen_at ? shown_time(*one.last_seen_at) +
                                                     " from " + one.last_seen_from
                                               : "never"},
                             {limits_of(one)},
                             {one.remarks}});
                }
                write_or(table, terminal,
                         "No people yet. Add a person: vantro person add NAME "
                         "--role operate");
              });
}

Done remove_person(const Context& context, const std::string& name, bool yes) {
  const auto asked = ask_first(
      context, yes, fmt::format("Remove '{}' for good, with all tokens?", shown(name)));
  if (!asked) return asked;
  return show(context, api::kRemovePerson, {name},
              [&](const Terminal& terminal, const api::PersonRemoved&) {
                terminal.write(fmt::format(
                    "{}: removed with all tokens; the ledger keeps what they did\n",
                    shown(name)));
              });
}

// One's own name, if none is given.
Result<std::string> whose(const Context& context, const std::string& of) {
  if (!of.empty()) return of;
  const auto me = context.api.call(api::kMe);
  if (!me) return tl::unexpected(me.error());
  return me->value.name;
}

Done list_tokens(const Context& context, const TokenOptions& options) {
  const auto name = whose(context, options.of);
  if (!name) return tl::unexpected(name.error());
  return show(context, api::kTokens, {*name},
              [&](const Terminal& terminal, const api::TokenList& all) {
                Table table({{"TOKEN"},
                             {"STATE"},
                             {"MADE", Table::Align::kLeft, 2},
                             {"UNTIL"},
                             {"LAST USED", Table::Align::kLeft, 1}});
                for (const auto& one : all.tokens) {
                  const bool good = one.state == "good" || one.state == "log-in";
                  table.add({{one.label},
                             {one.state, good ? Tone::kPlain : Tone::kBad},
                             {shown_time(one.made_at)},
                             {one.until ? shown_time(*one.until) : "-"},
                             {one.last_used_at ? shown_time(*one.last_used_at) +
                                                     " from " + one.last_used_from
                                               : "never"}});
                }
                write_or(table, terminal, shown(*name) + " has no tokens.");
              });
}

Done add_token(const Context& context, const TokenOptions& options) {
  const auto name = whose(context, options.of);
  if (!name) return tl::unexpected(name.error());
  const auto until = time_given(context, options.until);
  if (!until) return tl::unexpected(until.error());
  return show_answer(context,
                     context.api.call(api::kAddToken, {*name}, {options.label, *until}),
                     write_token_text);
}

Done renew_token(const Context& context, const TokenOptions& options) {
  const auto name = whose(context, options.of);
  if (!name) return tl::unexpected(name.error());
  const auto until = time_given(context, options.until);
  if (!until) return tl::unexpected(until.error());
  return show_answer(
      context,
      context.api.call(api::kRenewToken, {*name, options.label},
                       {*until, options.replace}),
      [&](const Terminal& terminal, const api::TokenMade& made) {
        terminal.write(fmt::format(
            "Token '{}' of {} is valid {}\n", shown(made.token.label), shown(*name),
            made.token.until ? "until " + shown_time(*made.token.until)
                             : "as long as the person is"));
        if (!made.text.empty()) write_token_text(terminal, made);
      });
}

Done revoke_token(const Context& context, const TokenOptions& options) {
  const auto name = whose(context, options.of);
  if (!name) return tl::unexpected(name.error());
  return show(context, api::kRevokeToken, {*name, options.label},
              [&](const Terminal& terminal, const api::TokenInfo& token) {
                terminal.write(fmt::format("Token '{}' of {} is revoked\n",
                                           shown(token.label), shown(*name)));
              });
}

void person_fields(const Command& command, PersonOptions& o) {
  command.value("PERSON", o.name, "Name of the person").required();
  command.value("--role", o.fields.role, "look, operate, administer or mirror");
  command.value("--rights", o.fields.rights,
                "secrets and push, comma-separated; or none");
  command.value("--until", o.fields.until, "End it at this time; 'ever' for no end");
  command.value("--remark", o.fields.remarks, "Remark, such as who it is");
  command.flag("--password", o.password,
               "Ask for a password to log in with, or read it from standard input");
}

void token_values(const Command& command, TokenOptions& o) {
  command
      .value("LABEL", o.label, "Label of the token, such as the machine that it is for")
      .required();
  command.value("--by", o.of, "Owner of the token (default: you)");
}

}  // namespace

void people_commands(const Command& top) {
  const auto person = top.group("person", "Manage the people who manage this server");
  {
    auto& o = person.keep<PersonOptions>();
    const auto add =
        person.add("add", "Add a person and show a token, once (default role: look)",
                   [&o](const Context& c) { return add_person(c, o); });
    person_fields(add, o);
    add.flag("--no-token", o.no_token, "Make no token");
    add.example("person add night-desk --role operate --until 90d")
        .related({"token add", "login", "account add"});
  }
  person.add("list", "List the people, and when each was last seen", list_people)
      .shows_list()
      .example("person list")
      .related({"token list"});
  {
    auto& o = person.keep<PersonOptions>();
    const auto change =
        person.add("change", "Change a person's role, rights, end or password",
                   [&o](const Context& c) { return change_person(c, o); });
    person_fields(change, o);
    change.flag("--no-password", o.no_password, "Remove the password");
    const auto off = change.flag(
        "--off", [&o] { o.fields.on = false; }, "Switch the person off for now");
    change
        .flag(
            "--on", [&o] { o.fields.on = true; }, "Switch the person on again")
        .excludes(off);
    change.example("person change night-desk --role administer").related({"person list"});
  }
  {
    struct Remove {
      std::string name;
      bool yes = false;
    };
    auto& o = person.keep<Remove>();
    const auto remove =
        person.add("remove", "Remove a person for good, with all tokens",
                   [&o](const Context& c) { return remove_person(c, o.name, o.yes); });
    remove.value("PERSON", o.name, "Name of the person").required();
    yes_flag(remove, o.yes);
    remove.example("person remove night-desk").related({"person change"});
  }
  const auto token = top.group("token", "Manage tokens: your own, or those of others");
  {
    auto& o = token.keep<TokenOptions>();
    const auto list = token.add("list", "List tokens and log-ins, and when each was used",
                                [&o](const Context& c) { return list_tokens(c, o); });
    list.value("--by", o.of, "Owner of the tokens (default: you)");
    list.shows_list().example("token list").related({"token end"});
  }
  {
    auto& o = token.keep<TokenOptions>();
    const auto add = token.add("add", "Add a token and show it, once",
                               [&o](const Context& c) { return add_token(c, o); });
    token_values(add, o);
    add.value("--until", o.until, "End it at this time");
    add.example("token add backup-host --until 90d").related({"login", "token list"});
  }
  {
    auto& o = token.keep<TokenOptions>();
    const auto change = token.add("change", "Let a token end later, or replace its text",
                                  [&o](const Context& c) { return renew_token(c, o); });
    token_values(change, o);
    change.value("--until", o.until,
                 "End it at this time (default: as long as the person)");
    change.flag("--replace", o.replace, "Make a new text and end the old one");
    change.example("token change backup-host --until 90d").related({"token list"});
  }
  {
    auto& o = token.keep<TokenOptions>();
    const auto end = token.add("end", "End a token now",
                               [&o](const Context& c) { return revoke_token(c, o); });
    token_values(end, o);
    end.example("token end backup-host").related({"token list"});
  }
}

}  // namespace vantro::client
