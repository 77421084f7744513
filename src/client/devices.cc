#include "client/devices.h"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include "api/fleet.h"
#include "base/visible_name.h"
#include "client/render.h"

namespace vantro::client {
namespace {

using nlohmann::json;
using Align = Table::Align;

std::string path_of(const std::string& name) { return "/v1/devices/" + url_escape(name); }

void write_device(const Terminal& terminal, const json& answer) {
  const auto device = answer.get<api::Device>();
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
  for (const auto& address : device.unclaimed) {
    terminal.write(terminal.toned(
        fmt::format(
            "  {} has sent files before that stand under its address. They become "
            "this device's with:\n  vantro device claim {} {}\n",
            address, address, shown(device.name)),
        Tone::kBad));
  }
}

void write_moved(const Terminal& terminal, const std::vector<api::MovedFile>& files) {
  for (const auto& one : files) {
    terminal.write(fmt::format("  {}: {} revision(s){}\n", shown(one.name), one.revisions,
                               one.merged ? ", numbered anew by time together with those "
                                            "that were there"
                                          : ""));
  }
}

}  // namespace

Done add_device(const Context& context, const std::string& name,
                const DeviceFields& fields) {
  json body = fields;
  if (fields.empty()) body = json::object();
  body["name"] = name;
  return show_answer(context, context.api.send("POST", "/v1/devices", body),
                     write_device);
}

Done list_devices(const Context& context) {
  return show(context, "/v1/devices", [](const Terminal& terminal, const json& answer) {
    Table table({{"DEVICE"},
                 {"ADDRESSES"},
                 {"PLATFORM"},
                 {"HARDWARE"},
                 {"SITE"},
                 {"BACKUP EVERY"},
                 {"REMARKS"}});
    for (const auto& one : list_of<api::Device>(answer, "devices")) {
      table.add({{one.name},
                 {one.addresses},
                 {one.platform},
                 {one.hardware},
                 {one.site},
                 {one.backup_every},
                 {one.remarks}});
    }
    write_or(table, terminal,
             "No devices yet. Make one known with 'vantro device add NAME --addresses "
             "192.0.2.7', or many with 'vantro device import FILE'.");
  });
}

Done show_device(const Context& context, const std::string& name) {
  return show(context, path_of(name), write_device);
}

Done edit_device(const Context& context, const std::string& name,
                 const DeviceFields& fields) {
  if (fields.empty()) {
    return wrong_use(
        "say what changes, such as --site harbour; --help shows what there is");
  }
  return show_answer(context, context.api.send("PATCH", path_of(name), json(fields)),
                     write_device);
}

Done remove_device(const Context& context, const std::string& name) {
  return show_answer(
      context, context.api.send("DELETE", path_of(name)),
      [](const Terminal& terminal, const json& answer) {
        const auto removed = answer.get<api::Claimed>();
        terminal.write(fmt::format("{}: removed\n", shown(removed.device)));
        if (removed.files.empty()) return;
        terminal.write("Its backups stand under the addresses that they came from:\n");
        write_moved(terminal, removed.files);
      });
}

Done claim_address(const Context& context, const std::string& address,
                   const std::string& name) {
  return show_answer(
      context,
      context.api.send("POST", path_of(name) + "/claim", json{{"address", address}}),
      [&](const Terminal& terminal, const json& answer) {
        const auto claimed = answer.get<api::Claimed>();
        terminal.write(
            fmt::format("{} is {}'s{}\n", shown(address), shown(claimed.device),
                        claimed.files.empty() ? "; it had sent no backups"
                                              : ", and so is what came from it:"));
        write_moved(terminal, claimed.files);
        if (claimed.ledger_rows == 0) return;
        terminal.write(fmt::format("  {} row(s) of the ledger\n", claimed.ledger_rows));
      });
}

Done import_devices(const Context& context, const std::string& file, bool dry_run) {
  const auto table = read_text(file);
  if (!table) return tl::unexpected(table.error());
  return show_answer(
      context,
      context.api.send("POST", "/v1/device-import",
                       json{{"table", *table}, {"really", !dry_run}}),
      [](const Terminal& terminal, const json& answer) {
        const auto done = answer.get<api::Imported>();
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

Done list_sites(const Context& context) {
  return show(context, "/v1/sites", [](const Terminal& terminal, const json& answer) {
    Table table({{"SITE"}, {"DEVICES", Align::kRight}, {"BACKUP EVERY"}});
    for (const auto& one : list_of<api::Site>(answer, "sites")) {
      table.add({{one.name}, {std::to_string(one.devices)}, {one.backup_every}});
    }
    write_or(table, terminal, "No device has a site yet.");
  });
}

Done edit_site(const Context& context, const std::string& site,
               const std::string& backup_every) {
  return show_answer(
      context,
      context.api.send("PATCH", "/v1/sites/" + url_escape(site),
                       json{{"backup_every", backup_every}}),
      [](const Terminal& terminal, const json& answer) {
        terminal.write(fmt::format("{}: backups are expected {}\n",
                                   shown(answer.value("name", "")),
                                   shown(answer.value("backup_every", ""))));
      });
}

}  // namespace vantro::client
