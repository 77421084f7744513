#include "manage/backup_routes.h"

#include <algorithm>
#include <fmt/format.h>

#include "base/base64.h"
#include "base/numbers.h"
#include "base/visible_name.h"
#include "catalog/facts.h"
#include "desk/backup_reports.h"
#include "desk/backups.h"
#include "manage/body.h"
#include "manage/convert_backups.h"
#include "manage/convert_catalogue.h"
#include "text/content.h"

namespace vantro::manage {
namespace {

// In one answer.
constexpr std::size_t kMostRevisions = 2000;

using base::Kind;
using nlohmann::json;

constexpr std::int64_t kDay = 86'400'000;
constexpr std::int64_t kUsualDays = 7;
constexpr std::int64_t kMostDays = 3650;
constexpr std::int64_t kUsualContext = 3;
constexpr std::int64_t kMostContext = 1000;

base::Outcome<std::optional<std::int64_t>> number(const Call& call,
                                                  const std::string& name,
                                                  std::int64_t least, std::int64_t most) {
  const auto text = query(call, name);
  if (!text) return std::nullopt;
  const auto value = base::parse_number<std::int64_t>(*text);
  if (!value || *value < least || *value > most) {
    return base::refuse(Kind::kInvalid,
                        fmt::format("{}: '{}' is no number from {} to {}", name,
                                    base::printable(*text, 40), least, most));
  }
  return value;
}

base::Outcome<std::optional<std::int64_t>> revision_number(const Call& call,
                                                           const std::string& name) {
  return number(call, name, 1, INT64_MAX);
}

// Whether secrets are to be shown: asked for, and by one who may.
base::Outcome<bool> secrets(const Call& call) {
  const auto wanted = query(call, "secrets");
  if (!wanted || *wanted == "masked") return false;
  if (*wanted != "shown") {
    return base::refuse(Kind::kInvalid, "secrets: there are masked and shown");
  }
  if (!call.may_see_secrets) {
    return base::refuse(Kind::kDenied,
                        "this token shows no secrets; that one does which stands in the "
                        "file 'secrets-token' beside it");
  }
  return true;
}

base::Outcome<backup::Revision> revision_for(Service& service, const Call& call) {
  const auto wanted = revision_number(call, "revision");
  if (!wanted) return base::refuse(wanted.error());
  return desk::BackupReports(service.repository)
      .find(call.path.at("holder"), call.path.at("name"), *wanted);
}

// Of a list that comes in portions: ?after=FILE.NUMBER, as the one before said.
base::Outcome<std::optional<backup::Place>> place(const Call& call) {
  const auto text = query(call, "after");
  if (!text) return std::nullopt;
  const auto dot = text->find('.');
  const auto file = base::parse_number<std::int64_t>(text->substr(0, dot));
  const auto number = dot == std::string::npos
                          ? std::nullopt
                          : base::parse_number<std::int64_t>(text->substr(dot + 1));
  if (!file || !number) {
    return base::refuse(Kind::kInvalid,
                        fmt::format("after: '{}' is not a place that 'next' named",
                                    base::printable(*text, 40)));
  }
  return backup::Place{*file, *number};
}

base::Outcome<json> backups(Service& service, const Call& call) {
  std::optional<backup::Holder> holder;
  std::optional<std::string> name;
  if (const auto typed = query(call, "holder")) {
    auto found = service.repository.inventory.holder(*typed);
    if (!found) return base::refuse(found.error());
    holder = std::move(*found);
    if (const auto given = query(call, "name")) {
      auto sound = base::visible_name(*given);
      if (!sound) return base::refuse(sound.error());
      name = std::move(*sound);
    }
  }
  const auto behind = place(call);
  if (!behind) return base::refuse(behind.error());
  const auto revisions =
      service.repository.backups.portion(holder, name, *behind, kMostRevisions);
  if (!revisions) return base::refuse(revisions.error());
  const desk::BackupReports reports(service.repository);
  auto list = json::array();
  for (const auto& one : *revisions) {
    auto shown = shape(one);
    if (one.kind == backup::FileKind::kImage) {
      const auto known = reports.recognise(one);
      if (!known) return base::refuse(known.error());
      shown.recognised = known->sentence;
      shown.image = known->image;
    }
    list.push_back(std::move(shown));
  }
  json answer{{"backups", std::move(list)}, {"next", ""}};
  if (revisions->size() == kMostRevisions) {
    const auto& last = revisions->back();
    answer["next"] = fmt::format("{}.{}", last.file, last.number);
  }
  return answer;
}

base::Outcome<json> backup_info(Service& service, const Call& call) {
  const auto revision = revision_for(service, call);
  if (!revision) return base::refuse(revision.error());
  const desk::BackupReports reports(service.repository);
  const auto known = reports.recognise(*revision);
  if (!known) return base::refuse(known.error());
  auto shown = shape(*revision);
  shown.recognised = known->sentence;
  shown.image = known->image;
  shown.secrets = reports.secrets_in(*revision);
  return json(shown);
}

base::Outcome<Content> backup_content(Service& service, const Call& call) {
  const auto revision = revision_for(service, call);
  if (!revision) return base::refuse(revision.error());
  const auto all = secrets(call);
  if (!all) return base::refuse(all.error());
  if (!*all && revision->text &&
      revision->size > service.repository.rules.treatment.configuration_up_to()) {
    return base::refuse(
        Kind::kDenied,
        fmt::format("'{}' is text, but too large to be looked through for secrets: ask "
                    "for it as if it held some ('--with-secrets', ?secrets=shown)",
                    base::printable(revision->name, 80)));
  }
  if (!*all) {
    const auto hidden = desk::BackupReports(service.repository).secrets_in(*revision);
    if (hidden > 0) {
      return base::refuse(
          Kind::kDenied,
          fmt::format("'{}' holds {} secret(s): ask for it with them "
                      "('--with-secrets', ?secrets=shown), or with them masked "
                      "('--masked', .../text)",
                      base::printable(revision->name, 80), hidden));
    }
  }
  const auto& folder = service.repository.folder;
  if (revision->complete) {
    auto file = folder.open_stored(revision->digests.sha256, revision->size);
    if (!file) return base::refuse(file.error());
    return Content{std::move(*file), revision->size, revision->digests.sha256};
  }
  if (revision->partial_file.empty()) {
    return base::refuse(
        Kind::kNotFound,
        fmt::format("revision {} broke off, and its bytes were kept only for "
                    "some days",
                    revision->number));
  }
  auto file = folder.open_partial(revision->partial_file);
  if (!file) return base::refuse(file.error());
  return Content{std::move(*file), revision->size, {}};
}

base::Outcome<std::string> backup_text(Service& service, const Call& call) {
  const auto revision = revision_for(service, call);
  if (!revision) return base::refuse(revision.error());
  const auto all = secrets(call);
  if (!all) return base::refuse(all.error());
  return desk::BackupReports(service.repository).shown_text(*revision, *all);
}

base::Outcome<json> overview(Service& service, const Call& call) {
  const auto days = number(call, "days", 1, kMostDays);
  if (!days) return base::refuse(days.error());
  api::BackupOverview result;
  result.days = days->value_or(kUsualDays);
  const auto found = desk::BackupReports(service.repository)
                         .overview(service.clock.wall() - result.days * kDay);
  if (!found) return base::refuse(found.error());
  for (const auto& one : found->files) result.files.push_back(shape(one));
  for (const auto& one : found->expected) result.expected.push_back(shape(one));
  return json(result);
}

base::Outcome<json> overdue(Service& service, const Call&) {
  const auto expected = desk::BackupReports(service.repository).expectations();
  if (!expected) return base::refuse(expected.error());
  auto list = json::array();
  for (const auto& one : *expected) {
    if (one.overdue) list.push_back(shape(one));
  }
  return json{{"expected_of", expected->size()}, {"overdue", std::move(list)}};
}

base::Outcome<base::WallTime> time_of(const Call& call, const std::string& name,
                                      base::WallTime otherwise) {
  const auto text = query(call, name);
  if (!text) return otherwise;
  const auto time = base::parse_iso_time(*text);
  if (time) return *time;
  return base::refuse(Kind::kInvalid,
                      fmt::format("{}: '{}' is no time such as 2026-11-23T02:14:07.000Z",
                                  name, base::printable(*text, 60)));
}

base::Outcome<std::size_t> context_of(const Call& call) {
  const auto lines = number(call, "context", 0, kMostContext);
  if (!lines) return base::refuse(lines.error());
  return static_cast<std::size_t>(lines->value_or(kUsualContext));
}

base::Outcome<json> report(Service& service, const Call& call) {
  const auto now = service.clock.wall();
  const auto from = time_of(call, "from", now - kDay);
  if (!from) return base::refuse(from.error());
  const auto to = time_of(call, "to", now);
  if (!to) return base::refuse(to.error());
  if (*from >= *to) {
    return base::refuse(Kind::kInvalid, "the report must begin before it ends");
  }
  const auto all = secrets(call);
  if (!all) return base::refuse(all.error());
  const auto context = context_of(call);
  if (!context) return base::refuse(context.error());
  const auto made =
      desk::BackupReports(service.repository).report(*from, *to, *all, *context);
  if (!made) return base::refuse(made.error());
  return json(shape(*made));
}

// The side that is not said: the complete one before the other.
base::Outcome<backup::Revision> one_before(Service& service,
                                           const backup::Revision& revision) {
  const auto all = service.repository.backups.revisions(revision.holder, revision.name);
  if (!all) return base::refuse(all.error());
  for (auto one = all->rbegin(); one != all->rend(); ++one) {
    if (one->complete && one->number < revision.number) return *one;
  }
  return base::refuse(
      Kind::kNotFound,
      fmt::format("there is no complete revision of '{}' from {} before revision {}",
                  base::printable(revision.name, 80), revision.holder.name,
                  revision.number));
}

base::Outcome<json> compared(Service& service, const Call& call,
                             const base::Outcome<desk::Compared>& before,
                             const base::Outcome<desk::Compared>& after) {
  if (!before) return base::refuse(before.error());
  if (!after) return base::refuse(after.error());
  const auto all = secrets(call);
  if (!all) return base::refuse(all.error());
  const auto context = context_of(call);
  if (!context) return base::refuse(context.error());
  const desk::BackupReports reports(service.repository);
  return json(api::Compared{shape(*before), shape(*after),
                            shape(reports.compare(*before, *after, *all, *context))});
}

// ?holder, &name (its only configuration), &before and &after (revisions), &other
// (another holder, whose newest one is the other side) and &other_name.
base::Outcome<json> compare(Service& service, const Call& call) {
  const auto holder = query(call, "holder");
  if (!holder) return base::refuse(Kind::kInvalid, "say whose backup: ?holder=DEVICE");
  const desk::BackupReports reports(service.repository);
  auto name = query(call, "name");
  if (!name) {
    auto only = reports.only_name(*holder);
    if (!only) return base::refuse(only.error());
    name = std::move(*only);
  }
  const auto before = revision_number(call, "before");
  if (!before) return base::refuse(before.error());
  const auto after = revision_number(call, "after");
  if (!after) return base::refuse(after.error());
  if (const auto other = query(call, "other")) {
    auto other_name = query(call, "other_name");
    if (!other_name) {
      // The same name if it has that, else its only configuration.
      const auto same = reports.find(*other, *name, {});
      auto only = same ? base::Outcome<std::string>(*name) : reports.only_name(*other);
      if (!only) return base::refuse(only.error());
      other_name = std::move(*only);
    }
    const auto one = reports.find(*holder, *name, *before);
    if (!one) return base::refuse(one.error());
    const auto two = reports.find(*other, *other_name, *after);
    if (!two) return base::refuse(two.error());
    return compared(service, call, reports.side(*one), reports.side(*two));
  }
  const auto newer = reports.find(*holder, *name, *after);
  if (!newer) return base::refuse(newer.error());
  const auto older =
      *before ? reports.find(*holder, *name, *before) : one_before(service, *newer);
  if (!older) return base::refuse(older.error());
  return compared(service, call, reports.side(*older), reports.side(*newer));
}

// A revision against a text that is given.
base::Outcome<json> compare_with(Service& service, const Call& call,
                                 const std::string& body) {
  const auto wanted = object(body, {"title", "text", "base64"});
  if (!wanted) return base::refuse(wanted.error());
  const auto title = text_field(*wanted, "title");
  if (!title) return base::refuse(title.error());
  auto text = text_field(*wanted, "text");
  if (!text) return base::refuse(text.error());
  const auto encoded = text_field(*wanted, "base64");
  if (!encoded) return base::refuse(encoded.error());
  if (!encoded->empty()) {
    // Configurations come in any encoding, JSON in one.
    const auto bytes = base::parse_base64(*encoded);
    if (!bytes) return base::refuse(Kind::kInvalid, "'base64' is no base64");
    *text = base::as_text(*bytes);
  }
  text::ContentTeller content;
  content.update(base::as_bytes(*text));
  if (!content.is_text()) {
    return base::refuse(Kind::kInvalid,
                        fmt::format("'{}' is no text", base::printable(*title, 80)));
  }
  const auto revision = revision_for(service, call);
  if (!revision) return base::refuse(revision.error());
  const desk::BackupReports reports(service.repository);
  desk::Compared given{base::printable(*title, 200),
                       {},
                       *text,
                       service.repository.inventory.platform_of(revision->holder)};
  return compared(service, call, reports.side(*revision), given);
}

base::Outcome<json> pin(Service& service, const Call& call, const std::string& body) {
  const auto wanted = object(body, {"pinned", "why"});
  if (!wanted) return base::refuse(wanted.error());
  const auto why = text_field(*wanted, "why");
  if (!why) return base::refuse(why.error());
  const auto pinned = flag_field(*wanted, "pinned", true);
  if (!pinned) return base::refuse(pinned.error());
  const auto revision = revision_for(service, call);
  if (!revision) return base::refuse(revision.error());
  desk::Backups changes(service.repository, service.gate, call.caller);
  const auto done = *pinned ? changes.pin(*revision, *why) : changes.unpin(*revision);
  if (!done) return base::refuse(done.error());
  return backup_info(service, call);
}

base::Outcome<json> offer(Service& service, const Call& call, const std::string& body) {
  const auto wanted = object(body, {"as", "to", "until"});
  if (!wanted) return base::refuse(wanted.error());
  desk::OfferWish wish;
  for (const auto& [field, into] :
       {std::pair("as", &wish.name), std::pair("to", &wish.to)}) {
    auto text = text_field(*wanted, field);
    if (!text) return base::refuse(text.error());
    *into = std::move(*text);
  }
  const auto until = text_field(*wanted, "until");
  if (!until) return base::refuse(until.error());
  wish.until = base::parse_iso_time(*until);
  if (!wish.until && !until->empty()) {
    return base::refuse(Kind::kInvalid,
                        fmt::format("'{}' is no time such as 2026-11-23T02:14:07.000Z",
                                    base::printable(*until, 60)));
  }
  const auto revision = revision_for(service, call);
  if (!revision) return base::refuse(revision.error());
  const auto made =
      desk::Backups(service.repository, service.gate, call.caller).offer(*revision, wish);
  if (!made) return base::refuse(made.error());
  return json(shape(*made));
}

base::Outcome<json> offers(Service& service, const Call&) {
  const auto standing = service.repository.backup_offers.standing(service.clock.wall());
  if (!standing) return base::refuse(standing.error());
  auto list = json::array();
  for (const auto& one : *standing) list.push_back(shape(one));
  return json{{"offers", std::move(list)}};
}

base::Outcome<json> end_offer(Service& service, const Call& call) {
  const auto& name = call.path.at("name");
  const auto ended =
      desk::Backups(service.repository, service.gate, call.caller).end_offer(name);
  if (!ended) return base::refuse(ended.error());
  return json{{"ended", *ended}, {"name", name}};
}

base::Outcome<json> adopt(Service& service, const Call& call, const std::string& body) {
  auto known = catalog::fact_names();
  known.insert(known.end(), {"name", "hold", "despite_findings"});
  const auto wanted = object(body, known);
  if (!wanted) return base::refuse(wanted.error());
  gate::IntakeOptions options;
  for (const auto& one : wanted->items()) {
    const auto& field = one.key();
    if (field == "hold" || field == "despite_findings") {
      const auto flag = flag_field(*wanted, field.c_str(), false);
      if (!flag) return base::refuse(flag.error());
      (field == "hold" ? options.hold : options.despite_findings) = *flag;
      continue;
    }
    auto text = text_field(*wanted, field.c_str());
    if (!text) return base::refuse(text.error());
    if (field == "name") {
      options.name = std::move(*text);
    } else if (!text->empty()) {
      options.facts[field] = std::move(*text);
    }
  }
  const auto revision = revision_for(service, call);
  if (!revision) return base::refuse(revision.error());
  const auto taken = desk::Backups(service.repository, service.gate, call.caller)
                         .adopt(*revision, std::move(options));
  if (!taken) return base::refuse(taken.error());
  return json(shape(*taken, true, *service.repository.offer_index()));
}

base::Outcome<json> thin_out(Service& service, const Call& call,
                             const std::string& body) {
  const auto wanted = object(body, {"really", "from"});
  if (!wanted) return base::refuse(wanted.error());
  const auto really = flag_field(*wanted, "really", false);
  if (!really) return base::refuse(really.error());
  const auto from = number_field(*wanted, "from");
  if (!from) return base::refuse(from.error());
  const auto done = desk::Backups(service.repository, service.gate, call.caller)
                        .thin_out(*really, *from);
  if (!done) return base::refuse(done.error());
  return json(shape(*done));
}

}  // namespace

std::vector<Route> backup_routes(Service& service) {
  constexpr auto kOperatorOnly = Permission::kOperator;
  const auto content = [&service](const Call& call) {
    return backup_content(service, call);
  };
  const auto text = [&service](const Call& call) { return backup_text(service, call); };
  return {
      {"GET", "/v1/backups", kOperatorOnly, json_handler(service, backups),
       "revisions; ?holder=DEVICE or address, &name=NAME"},
      {"GET", "/v1/backup-overview", kOperatorOnly, json_handler(service, overview),
       "a line for each file, and what is expected of whom; ?days=N for the changes"},
      {"GET", "/v1/backup-overdue", kOperatorOnly, json_handler(service, overdue),
       "devices whose backups are late"},
      {"GET", "/v1/backup-report", kOperatorOnly, json_handler(service, report),
       "what changed from one time to another: ?from=, &to=, &context=N, &secrets=shown"},
      {"GET", "/v1/backup-comparison", kOperatorOnly, json_handler(service, compare),
       "two revisions: ?holder=, &name=, &before=N, &after=N, &other=HOLDER, "
       "&other_name=, &context=N, &secrets=shown"},
      {"POST", "/v1/backup-thinning", kOperatorOnly,
       SlowBodyHandler{body_handler(service, thin_out)},
       "what the rules of keeping let go; removed only with {\"really\": true}"},
      {"GET", "/v1/backup-offers", kOperatorOnly, json_handler(service, offers),
       "revisions that are on offer to a device"},
      {"DELETE", "/v1/backup-offers/{name}", kOperatorOnly,
       json_handler(service, end_offer), "end it"},
      {"GET", "/v1/backups/{holder}/{name}", kOperatorOnly,
       json_handler(service, backup_info),
       "one revision: the newest complete one, or ?revision=N; also for the next"},
      {"GET", "/v1/backups/{holder}/{name}/content", kOperatorOnly,
       ContentHandler(content),
       "its bytes; &secrets=shown is needed where it holds secrets"},
      {"GET", "/v1/backups/{holder}/{name}/text", kOperatorOnly, TextHandler(text),
       "its text with its secrets masked, or &secrets=shown"},
      {"POST", "/v1/backups/{holder}/{name}/comparison", kOperatorOnly,
       body_handler(service, compare_with), "against a text: title, text"},
      {"POST", "/v1/backups/{holder}/{name}/pin", kOperatorOnly,
       body_handler(service, pin), "keep it for ever: why; or {\"pinned\": false}"},
      {"POST", "/v1/backups/{holder}/{name}/offer", kOperatorOnly,
       body_handler(service, offer), "to one device: as, to, until"},
      {"POST", "/v1/backups/{holder}/{name}/image", kOperatorOnly,
       SlowBodyHandler{body_handler(service, adopt)},
       "take it into the catalogue: name, hold, despite_findings, facts"},
  };
}

}  // namespace vantro::manage
