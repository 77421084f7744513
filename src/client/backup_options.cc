#include "client/backup_options.h"

#include <limits>
#include <vector>

#include "client/backups.h"
#include "client/devices.h"

namespace vantro::client {
namespace {

constexpr std::int64_t kMostRevision = std::numeric_limits<std::int64_t>::max();

void revision_options(CLI::App* command, BackupOptions& options) {
  command->add_option("DEVICE", options.holder, "its name, or an address")->required();
  command->add_option("NAME", options.name, "the file, as the device named it")
      ->required();
  command
      ->add_option("--revision", options.revision,
                   "its number (default: the newest complete one)")
      ->check(CLI::Range(std::int64_t{1}, kMostRevision));
}

void secrets_flag(CLI::App* command, bool& own, bool& with_secrets) {
  command->add_flag_callback(
      "--with-secrets", [&own, &with_secrets] { own = with_secrets = true; },
      "show the secrets in it; needs the token of the file 'secrets-token'");
}

void context_option(CLI::App* command, std::int64_t& lines) {
  command->add_option("--context", lines, "lines around each difference")
      ->capture_default_str()
      ->check(CLI::Range(std::int64_t{0}, std::int64_t{1000}));
}

void compare_command(Commands& commands, CLI::App& backup, bool& with_secrets) {
  auto o = commands.options<CompareOptions>();
  auto revisions = commands.options<std::vector<std::int64_t>>();
  auto* compare = commands.add(backup, "compare",
                               "what changed: the newest revision against the one before",
                               [o, revisions](const Context& c) {
                                 if (!revisions->empty()) o->before = revisions->front();
                                 if (revisions->size() > 1) o->after = revisions->back();
                                 return compare_backups(c, *o);
                               });
  compare->add_option("DEVICE", o->holder, "its name, or an address")->required();
  compare->add_option("FILE", o->name, "which file (default: its only configuration)");
  compare
      ->add_option("REVISION", *revisions,
                   "one: that against the newest; two: the one against the other")
      ->expected(0, 2)
      ->check(CLI::Range(std::int64_t{1}, kMostRevision));
  auto* to = compare->add_option("--to-device", o->other,
                                 "against the newest one of another device");
  compare->add_option("--to-file", o->other_name, "and of this name")->needs(to);
  compare->add_option("--with", o->file, "against a file on this side")->excludes(to);
  context_option(compare, o->context);
  secrets_flag(compare, o->with_secrets, with_secrets);
}

void report_command(Commands& commands, CLI::App& backup, bool& with_secrets) {
  auto o = commands.options<ReportOptions>();
  auto* report =
      commands.add(backup, "report", "all that changed in a day or a change window",
                   [o](const Context& c) { return report_changes(c, *o); });
  report->add_option("--from", o->from, "a time, or a span back from now such as 7d")
      ->capture_default_str();
  report->add_option("--to", o->to, "the same (default: now)");
  auto* html = report->add_option("--html", o->html, "write it to this file as a page");
  report->add_flag("--force", o->force, "write over a file that exists")->needs(html);
  context_option(report, o->context);
  secrets_flag(report, o->with_secrets, with_secrets);
}

void offer_commands(Commands& commands, CLI::App& backup) {
  auto* offer = commands.group(backup, "offer",
                               "put one revision on offer to one device, for a time");
  {
    auto o = commands.options<BackupOfferOptions>();
    auto* add = commands.add(*offer, "add", "under a name that the device types",
                             [o](const Context& c) { return offer_backup(c, *o); });
    revision_options(add, o->backup);
    add->add_option("--as", o->as, "the name")->required();
    add->add_option("--to", o->to,
                    "another device, or an address (default: whose backup it is)");
    add->add_option("--until", o->until,
                    "a time, or a span such as 4h; at most 30d (default: a day)");
  }
  commands.add(*offer, "list", "what is on offer so", list_backup_offers);
  {
    auto name = commands.options<std::string>();
    commands
        .add(*offer, "end", "before its time is over",
             [name](const Context& c) { return end_backup_offer(c, *name); })
        ->add_option("NAME", *name, "the name that the device types")
        ->required();
  }
}

void field_options(CLI::App* command, DeviceFields& fields) {
  const std::pair<const char*, const char*> all[] = {
      {"addresses", "addresses and networks that it is heard from, parted by commas"},
      {"link-address", "such as 02:00:5e:10:00:01"},
      {"maker", "who made it"},
      {"platform", "what decides which images and which patterns fit"},
      {"hardware", "its hardware revision"},
      {"site", "where it stands"},
      {"remarks", "anything else"},
      {"backup-every",
       "how often a backup is expected: daily, weekly, monthly, 12h, 3d, never "
       "(default: as its site)"},
      {"quota", "what is kept of it at most, such as \"500 MiB\""},
  };
  for (const auto& [name, about] : all) {
    std::string field = name;
    for (auto& one : field) one = one == '-' ? '_' : one;
    command->add_option_function<std::string>(
        "--" + std::string(name),
        [&fields, field](const std::string& value) { fields[field] = value; }, about);
  }
}

}  // namespace

void backup_commands(Commands& commands, bool& with_secrets) {
  auto* backup = commands.group(commands.app(), "backup", "files that devices have sent");
  {
    auto days = commands.options<std::int64_t>();
    *days = 7;
    commands
        .add(*backup, "list", "a line for each file: the newest, and how it stands",
             [days](const Context& c) { return list_backups(c, *days); })
        ->add_option("--days", *days, "count the changes of so many days")
        ->capture_default_str()
        ->check(CLI::Range(std::int64_t{1}, std::int64_t{3650}));
  }
  {
    auto o = commands.options<BackupOptions>();
    auto* list = commands.add(
        *backup, "revisions", "all revisions, of one device or of one of its files",
        [o](const Context& c) { return list_revisions(c, o->holder, o->name); });
    list->add_option("DEVICE", o->holder, "its name, or an address (default: all)");
    list->add_option("NAME", o->name, "one of its files");
  }
  {
    auto o = commands.options<BackupOptions>();
    revision_options(commands.add(*backup, "info", "one revision with its checksums",
                                  [o](const Context& c) { return show_backup(c, *o); }),
                     *o);
  }
  {
    auto o = commands.options<BackupOptions>();
    auto* save = commands.add(*backup, "save", "write one revision to a file",
                              [o](const Context& c) { return save_backup(c, *o); });
    revision_options(save, *o);
    save->add_option(
        "--to", o->to,
        "the file, or - for standard output (default: the name's last part)");
    save->add_flag("--force", o->force, "write over a file that exists");
    secrets_flag(save, o->with_secrets, with_secrets);
    save->add_flag("--masked", o->masked, "with its secrets masked, for reading");
  }
  compare_command(commands, *backup, with_secrets);
  report_command(commands, *backup, with_secrets);
  commands.add(*backup, "overdue",
               "devices whose backup is late; exits with 8 if there are any",
               show_overdue);
  offer_commands(commands, *backup);
  {
    auto o = commands.options<AdoptOptions>();
    auto* adopt = commands.add(*backup, "adopt",
                               "take an image that a device sent into the catalogue",
                               [o](const Context& c) { return adopt_backup(c, *o); });
    revision_options(adopt, o->backup);
    adopt->add_option("--as", o->as, "the image's name (default: the name's last part)");
    fact_options(adopt, o->facts, false);
    adopt->add_flag("--hold", o->hold, "keep it off offer");
    adopt->add_flag("--despite-findings", o->despite_findings,
                    "file it though it is cut short or damaged inside");
  }
  {
    auto o = commands.options<BackupOptions>();
    auto* pin = commands.add(*backup, "pin", "keep one revision for ever",
                             [o](const Context& c) { return pin_backup(c, *o, true); });
    revision_options(pin, *o);
    pin->add_option("--why", o->why, "the reason, for those who find it later");
  }
  {
    auto o = commands.options<BackupOptions>();
    revision_options(
        commands.add(*backup, "unpin", "it is kept as the rules say again",
                     [o](const Context& c) { return pin_backup(c, *o, false); }),
        *o);
  }
  {
    auto really = commands.options<bool>();
    auto all = commands.options<bool>();
    auto* thin = commands.add(
        *backup, "thin-out", "show what the rules of keeping let go; --really removes it",
        [really, all](const Context& c) { return thin_out(c, *really, *all); });
    thin->add_flag("--really", *really, "remove it, for good");
    thin->add_flag("--all", *all, "also show what stays of these files, and why");
  }
}

void device_commands(Commands& commands) {
  auto* device = commands.group(commands.app(), "device", "the inventory of devices");
  struct One {
    std::string name;
    std::string second;
    DeviceFields fields;
    bool flag = false;
  };
  const auto named = [](CLI::App* command, One& one) {
    command->add_option("NAME", one.name, "its name")->required();
    return command;
  };
  {
    auto o = commands.options<One>();
    auto* add = commands.add(*device, "add", "make one known", [o](const Context& c) {
      return add_device(c, o->name, o->fields);
    });
    field_options(named(add, *o), o->fields);
  }
  commands.add(*device, "list", "all of them", list_devices);
  {
    auto o = commands.options<One>();
    named(commands.add(*device, "info", "one of them",
                       [o](const Context& c) { return show_device(c, o->name); }),
          *o);
  }
  {
    auto o = commands.options<One>();
    auto* edit = commands.add(
        *device, "edit", "change what is given; an empty text takes it away",
        [o](const Context& c) { return edit_device(c, o->name, o->fields); });
    field_options(named(edit, *o), o->fields);
    edit->add_option_function<std::string>(
        "--name", [o](const std::string& value) { o->fields["name"] = value; },
        "another name; its backups stay its own");
  }
  {
    auto o = commands.options<One>();
    named(commands.add(*device, "remove",
                       "its backups stay, under the addresses that they came from",
                       [o](const Context& c) { return remove_device(c, o->name); }),
          *o);
  }
  {
    auto o = commands.options<One>();
    auto* claim = commands.add(
        *device, "claim",
        "what came from an address becomes a device's, with its history",
        [o](const Context& c) { return claim_address(c, o->second, o->name); });
    claim->add_option("ADDRESS", o->second, "the address")->required();
    named(claim, *o);
  }
  {
    auto o = commands.options<One>();
    auto* import = commands.add(
        *device, "import", "many at once, from a table (CSV)",
        [o](const Context& c) { return import_devices(c, o->name, o->flag); });
    import
        ->add_option("FILE", o->name,
                     "its first line names the columns (docs/backups.md); - for standard "
                     "input")
        ->required();
    import->add_flag("--dry-run", o->flag, "only say what would change");
  }
  {
    auto o = commands.options<One>();
    auto* site = commands.add(
        *device, "site", "the sites, and how often backups are expected of their devices",
        [o](const Context& c) {
          return o->name.empty() ? list_sites(c) : edit_site(c, o->name, o->second);
        });
    auto* name = site->add_option("SITE", o->name, "one of them");
    auto* every = site->add_option("--backup-every", o->second,
                                   "daily, weekly, monthly, 12h, 3d, never");
    every->needs(name);
    name->needs(every);
  }
}

}  // namespace vantro::client
