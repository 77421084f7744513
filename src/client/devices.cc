#include "client/devices.h"

#include <algorithm>
#include <fmt/format.h>

#include "api/fleet.h"
#include "base/numbers.h"
#include "base/sizes.h"
#include "base/visible_name.h"
#include "client/render.h"

namespace vantro::client {
namespace {

using Align = Table::Align;

void write_device(const Terminal& terminal, const api::Device& device) {
  terminal.write(terminal.toned(shown(device.name), Tone::kHead) + "\n");
  const auto line = [&](const char* label, const std::string& text) {
    if (!text.empty()) {
      terminal.write(fmt::format("  {:<13}{}\n", label, shown(text, 4000)));
    }
  };
  line("addresses", device.addresses);
  line("link address", device.link_address);
  line("maker", device.maker);
  line("platform", device.platform);
  line("hardware", device.hardware);
  line("site", device.site);
  line("backup every", device.backup_every);
  line("quota", device.quota);
  line("remarks", device.remarks);
  line("job", device.job);
  if (!device.state.empty()) {
    Table table({{"STATE"}, {"VALUE"}, {"KNOWN SINCE"}, {"FROM"}});
    for (const auto& one : device.state) {
      auto name = one.field;
      std::replace(name.begin(), name.end(), '_', ' ');
      if (!one.item.empty()) name += " " + one.item;
      if (!one.member.empty()) name = fmt::format("member {}: {}", one.member, name);
      const auto bytes = one.field == "free"
                             ? base::parse_number<std::uint64_t>(one.value)
                             : std::optional<std::uint64_t>();
      table.add({{name},
                 {bytes ? base::size_text(*bytes) : one.value},
                 {shown_time(one.at)},
                 {one.source}});
    }
    table.write(terminal);
  }
  for (const auto& address : device.unclaimed) {
    terminal.write(terminal.toned(
        fmt::format(
            "  {0} has sent files before; they are listed under its address. Make them "
            "this device's with:\n  vantro device assign {1} {0}\n",
            address, shown(device.name)),
        Tone::kBad));
  }
}

void write_moved(const Terminal& terminal, const std::vector<api::MovedFile>& files) {
  for (const auto& one : files) {
    terminal.write(
        fmt::format("  {}: {}{}\n", shown(one.name), counted(one.revisions, "revision"),
                    one.merged ? ", numbered again by time together with those "
                                 "that were there"
                               : ""));
  }
}

Done add_device(const Context& context, const std::string& name,
                const api::DeviceFields& fields) {
  auto device = fields;
  device.name = name;
  return show_answer(context, context.api.call(api::kAddDevice, {}, device),
                     write_device);
}

Done list_devices(const Context& context, const api::DeviceFilter& filter) {
  const bool every =
      filter.text.empty() && filter.site.empty() && filter.platform.empty();
  return show(context, api::kDevices, filter,
              [&](const Terminal& terminal, const api::DeviceList& all) {
                Table table({{"DEVICE"},
                             {"ADDRESSES"},
                             {"PLATFORM"},
                             {"HARDWARE", Table::Align::kLeft, 4},
                             {"VERSION"},
                             {"SITE", Table::Align::kLeft, 1},
                             {"JOB", Table::Align::kLeft, 2},
                             {"BACKUP EVERY", Table::Align::kLeft, 3},
                             {"REMARK", Table::Align::kLeft, 5}});
                for (const auto& one : all.devices) {
                  table.add({{one.name},
                             {one.addresses},
                             {one.platform},
                             {one.hardware},
                             {one.running_version},
                             {one.site},
                             {one.job},
                             {one.backup_every},
                             {one.remarks}});
                }
                write_or(
                    table, terminal,
                    every ? "No devices yet. Add one with 'vantro device add NAME "
                            "--addresses 192.0.2.7', or many with 'vantro device import "
                            "FILE'."
                          : "No such devices; 'vantro device list' shows all.");
              });
}

Done show_device(const Context& context, const std::string& name) {
  return show(context, api::kDevice, {name}, write_device);
}

Done edit_device(const Context& context, const std::string& name,
                 const api::DeviceFields& fields) {
  if (api::given_texts(fields).empty()) {
    return wrong_use("nothing to change; give an option such as --site harbour");
  }
  return show_answer(context, context.api.call(api::kChangeDevice, {name}, fields),
                     write_device);
}

Done remove_device(const Context& context, const std::string& name, bool yes) {
  const auto asked =
      ask_first(context, yes,
                fmt::format("Remove the device '{}'? Its backups stay.", shown(name)));
  if (!asked) return asked;
  return show(
      context, api::kRemoveDevice, {name},
      [](const Terminal& terminal, const api::Claimed& removed) {
        terminal.write(fmt::format("{}: removed\n", shown(removed.device)));
        if (removed.files.empty()) return;
        terminal.write(
            "Its backups are now listed under the addresses that they came from:\n");
        write_moved(terminal, removed.files);
      });
}

Done claim_address(const Context& context, const std::string& address,
                   const std::string& name) {
  return show_answer(context, context.api.call(api::kClaimAddress, {name}, {address}),
                     [&](const Terminal& terminal, const api::Claimed& claimed) {
                       terminal.write(fmt::format(
                           "{} is {}'s{}\n", shown(address), shown(claimed.device),
                           claimed.files.empty() ? "; it had sent no backups"
                                                 : ", and so is what came from it:"));
                       write_moved(terminal, claimed.files);
                       if (claimed.ledger_rows == 0) return;
                       terminal.write(fmt::format("  {} of the ledger\n",
                                                  counted(claimed.ledger_rows, "row")));
                     });
}

Done import_devices(const Context& context, const std::string& file, bool dry_run) {
  const auto table = read_text(file);
  if (!table) return tl::unexpected(table.error());
  return show_answer(
      context, context.api.call(api::kImportDevices, {}, {*table, !dry_run}),
      [](const Terminal& terminal, const api::Imported& done) {
        const auto line = [&](const char* what, const std::vector<std::string>& names) {
          if (names.empty()) return;
          terminal.write(
              fmt::format("{} {}: {}\n", names.size(), what,
                          shown(fmt::format("{}", fmt::join(names, ", ")), 2000)));
        };
        const auto would = done.done ? std::string() : std::string("would be ");
        line((would + "added").c_str(), done.added);
        line((would + "changed").c_str(), done.changed);
        line("as they were", done.unchanged);
      });
}

Done read_report(const Context& context, const std::string& name, const std::string& file,
                 bool dry_run) {
  const auto text = read_text(file, 1 << 20);
  if (!text) return tl::unexpected(text.error());
  return show_answer(
      context, context.api.call(api::kReadReport, {name}, {*text, !dry_run}),
      [](const Terminal& terminal, const api::ReportRead& read) {
        terminal.write(fmt::format("{}: {} {}\n", shown(read.device),
                                   counted(read.learnt.size(), "value"),
                                   read.done ? "learnt" : "would be learnt"));
        for (const auto& one : read.learnt) {
          auto field = one.field;
          std::replace(field.begin(), field.end(), '_', ' ');
          const auto bytes = one.field == "free"
                                 ? base::parse_number<std::uint64_t>(one.value)
                                 : std::optional<std::uint64_t>();
          terminal.write(fmt::format(
              "  {}{}{}{}: {}\n",
              one.member.empty() ? "" : fmt::format("member {}: ", shown(one.member)),
              field, one.item.empty() ? "" : " ", shown(one.item),
              bytes ? base::size_text(*bytes) : shown(one.value)));
        }
        for (const auto& one : read.doubts) {
          terminal.write(terminal.toned("  " + shown(one, 400), Tone::kBad) + "\n");
        }
        if (read.not_understood.empty()) return;
        terminal.write(fmt::format("not understood: {}\n",
                                   counted(read.not_understood.size(), "line")));
        constexpr std::size_t kMostShown = 20;
        for (std::size_t i = 0; i < std::min(read.not_understood.size(), kMostShown);
             ++i) {
          const auto& one = read.not_understood[i];
          terminal.write(terminal.toned(
              fmt::format("  {}: {}\n", one.line, shown(one.text)), Tone::kFaint));
        }
        if (read.not_understood.size() > kMostShown) {
          terminal.write(
              fmt::format("  and {} more\n", read.not_understood.size() - kMostShown));
        }
      });
}

Done list_sites(const Context& context) {
  return show(
      context, api::kSites, {}, [](const Terminal& terminal, const api::SiteList& all) {
        Table table({{"SITE"}, {"DEVICES", Align::kRight}, {"BACKUP EVERY"}});
        for (const auto& one : all.sites) {
          table.add({{one.name}, {std::to_string(one.devices)}, {one.backup_every}});
        }
        write_or(table, terminal, "No device has a site.");
      });
}

Done edit_site(const Context& context, const std::string& site,
               const std::string& backup_every) {
  return show_answer(
      context, context.api.call(api::kChangeSite, {site}, {"", backup_every}),
      [](const Terminal& terminal, const api::SiteSchedule& now) {
        terminal.write(fmt::format("{}: backups are expected {}\n", shown(now.name),
                                   shown(now.backup_every)));
      });
}

}  // namespace

void device_commands(const Command& top) {
  const auto device = top.group("device", "Manage the inventory of devices");
  struct One {
    std::string name;
    std::string second;
    api::DeviceFields fields;
    bool flag = false;
  };
  {
    auto& o = device.keep<One>();
    const auto add = device.add("add", "Add a device", [&o](const Context& c) {
      return add_device(c, o.name, o.fields);
    });
    add.value("NAME", o.name, "Name of the device").required();
    add.fields(o.fields, {"name"});
    add.example(
           "device add tidegate-rtr --addresses 192.0.2.7 --platform causeway4 --site "
           "Tidegate --backup-every daily")
        .related({"device import", "device assign", "device list"});
  }
  {
    auto& filter = device.keep<api::DeviceFilter>();
    const auto list =
        device.add("list", "List devices, all or some",
                   [&filter](const Context& c) { return list_devices(c, filter); });
    list.value("--name", filter.text,
               "Show those with this in name, addresses, site or "
               "remarks");
    list.value("--site", filter.site, "Show those of this site");
    list.value("--platform", filter.platform, "Show those of this platform");
    list.shows_list()
        .example("device list --sort site")
        .example("device list --platform lattice24 --site \"Heron Reservoir\"")
        .related({"device info", "site list"});
  }
  const auto named = [&](const char* name, const char* about, auto run) {
    auto& o = device.keep<One>();
    const auto command =
        device.add(name, about, [&o, run](const Context& c) { return run(c, o); });
    command.value("DEVICE", o.name, "Device that is meant").required();
    return std::pair<const Command, One&>(command, o);
  };
  {
    auto [info, o] =
        named("info", "Show everything about one device",
              [](const Context& c, const One& one) { return show_device(c, one.name); });
    info.example("device info tidegate-rtr").related({"contact", "backup revisions"});
  }
  {
    auto [change, o] = named("change", "Change fields of a device; \"\" clears one",
                             [](const Context& c, const One& one) {
                               return edit_device(c, one.name, one.fields);
                             });
    change.fields(o.fields, {"name"});
    change.value("--name", o.fields.name, "New name; its backups stay with it");
    change.example("device change tidegate-rtr --running-version 7.6.0")
        .related({"device read", "device info"});
  }
  {
    auto& o = device.keep<One>();
    const auto read = device.add(
        "read", "Learn the state of a device from a listing that you paste",
        [&o](const Context& c) { return read_report(c, o.name, o.second, o.flag); });
    read.value("DEVICE", o.name, "Device that is meant").required();
    read.value("FILE", o.second, "Listing; - is standard input").required();
    read.flag("--dry-run", o.flag, "Only show what would change");
    read.example("device read tidegate-rtr - < listing.txt").related({"device change"});
  }
  {
    auto [remove, o] = named("remove", "Remove a device; its backups stay",
                             [](const Context& c, const One& one) {
                               return remove_device(c, one.name, one.flag);
                             });
    yes_flag(remove, o.flag);
    remove.example("device remove tidegate-old").related({"device list"});
  }
  {
    auto& o = device.keep<One>();
    const auto assign = device.add(
        "assign", "Give everything from an address to a device, with its history",
        [&o](const Context& c) { return claim_address(c, o.second, o.name); });
    assign.value("DEVICE", o.name, "Device that is meant").required();
    assign.value("ADDRESS", o.second, "Address that it was heard from").required();
    assign.example("device assign tidegate-rtr 192.0.2.7")
        .related({"contact", "device add"});
  }
  {
    auto& o = device.keep<One>();
    const auto import =
        device.add("import", "Add or change many devices from a table (CSV)",
                   [&o](const Context& c) { return import_devices(c, o.name, o.flag); });
    import
        .value("FILE", o.name,
               "Table; its first line names the columns; - is standard input")
        .required();
    import.flag("--dry-run", o.flag, "Only show what would change");
    import.example("device import inventory.csv --dry-run").related({"device list"});
  }
}

void site_commands(const Command& top) {
  const auto site = top.group("site", "Manage sites");
  site.add("list", "List the sites, and how often backups are expected there", list_sites)
      .shows_list()
      .example("site list")
      .related({"device list", "backup overdue"});
  struct Change {
    std::string name, every;
  };
  auto& o = site.keep<Change>();
  const auto change =
      site.add("change", "Change how often backups are expected at a site",
               [&o](const Context& c) { return edit_site(c, o.name, o.every); });
  change.value("SITE", o.name, "Name of the site").required();
  change
      .value("--backup-every", o.every,
             "daily, weekly, monthly, a span such as 12h, or never")
      .required();
  change.example("site change Tidegate --backup-every daily").related({"site list"});
}

}  // namespace vantro::client
