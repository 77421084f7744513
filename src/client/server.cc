#include "client/server.h"

#include <algorithm>
#include <cerrno>
#include <cstring>
#include <fcntl.h>
#include <fmt/format.h>
#include <sys/stat.h>
#include <unistd.h>

#include "base/address.h"
#include "base/clock.h"
#include "base/protocol.h"
#include "base/sizes.h"
#include "base/unique_fd.h"
#include "base/visible_name.h"
#include "client/render.h"
#include "client/terminal.h"
#include "crypto/digests.h"

namespace vantro::client {
namespace {

using Align = Table::Align;

void write_encryption(const Terminal& terminal, const api::Encryption& encryption) {
  if (encryption.key.empty() && encryption.locked == 0) return;
  terminal.write(fmt::format(
      "  encrypted   {}{}\n",
      encryption.key.empty() ? "no key"
      : encryption.contents == 0
          ? fmt::format("configurations, with key {}", shown(encryption.key))
          : fmt::format("configurations, with key {}; {} of {} are",
                        shown(encryption.key), encryption.done, encryption.contents),
      encryption.running ? ", the others are being encrypted with it" : ""));
}

// What people compare at a device's console, and which algorithms are weaker than they
// should be.
void write_ssh(const Terminal& terminal, const api::Ssh& ssh) {
  for (const auto& key : ssh.host_keys) {
    terminal.write(fmt::format("  host key    {:<20} {}\n", key.type,
                               base::printable(key.fingerprint)));
  }
  for (const auto& one : ssh.older) {
    terminal.write(fmt::format("  older SSH   for {}: {}\n", one.from, one.algorithms));
  }
  if (!ssh.last_older) return;
  const auto& last = *ssh.last_older;
  terminal.write(terminal.toned(
      fmt::format("              used by {}, the last {} by {} from {} ({})\n",
                  ssh.older_sessions == 1
                      ? "one session"
                      : fmt::format("{} sessions", ssh.older_sessions),
                  shown_time(last.at), base::printable(last.account), last.address,
                  last.algorithms),
      Tone::kBad));
}

// "FTP 1 of 4000, HTTP 12 of 4000", and what went wrong on its own line.
void write_fronts(const Terminal& terminal, const std::vector<api::Front>& fronts) {
  std::string open;
  for (const auto& one : fronts) {
    if (!one.most) continue;
    open += fmt::format("{}{} {} of {}", open.empty() ? "" : ", ", one.name, one.open,
                        *one.most);
  }
  if (!open.empty()) terminal.write("  connections " + open + "\n");
  for (const auto& one : fronts) {
    if (one.turned_away > 0) {
      terminal.write(terminal.toned(
          fmt::format("              {}: turned away {} since the start, over the limits "
                      "on connections\n",
                      one.name, one.turned_away),
          Tone::kBad));
    }
    if (one.paused) {
      terminal.write(terminal.toned(
          fmt::format("              {}: accepts no connections for a moment; the server "
                      "has too many files open, or too little memory\n",
                      one.name),
          Tone::kBad));
    }
  }
}

Done show_status(const Context& context) {
  return show(
      context, api::kStatus, {}, [](const Terminal& terminal, const api::Status& status) {
        terminal.write(
            fmt::format("vantrod {}, up {} (since {})\n", status.version,
                        base::duration_text(static_cast<double>(status.uptime_ms) / 1000),
                        shown_time(status.started_at)));
        for (const auto& listener : status.listeners) {
          const auto* known = base::find_protocol(listener.protocol);
          terminal.write(fmt::format(
              "  {:<12}listens on {}{}\n", listener.protocol, listener.address,
              known == nullptr ? ""
              : listener.protects
                  ? "; content and password are protected on the way"
                  : (known->carries_accounts
                         ? "; content and password can be read on the way"
                         : "; content can be read on the way, there are no passwords")));
          if (!listener.fingerprint.empty()) {
            terminal.write("  certificate " + listener.fingerprint + "\n");
          }
        }
        const auto& you = status.you;
        terminal.write(fmt::format(
            "  you         {}: {}{}, by {}\n", shown(you.name), you.role,
            you.rights == "none" ? "" : ", with " + you.rights,
            you.known_by == "socket" ? "your login on this machine" : you.known_by));
        write_fronts(terminal, status.fronts);
        terminal.write(fmt::format("  state       {}, {} free\n", status.state_folder,
                                   base::size_text(status.disk_free)));
        if (!status.node.empty()) {
          terminal.write(fmt::format("  node        {}; {} of {} nodes report\n",
                                     status.node, status.nodes_alive, status.nodes));
        }
        if (!status.mirror_of.empty()) {
          terminal.write(fmt::format(
              "  mirror      of {}; how old it is and what lacks: vantro mirror show\n",
              shown(status.mirror_of)));
        }
        terminal.write(
            fmt::format("  images      {}, {} on offer\n", status.images, status.offers));
        terminal.write(fmt::format("  backups     {} revisions\n", status.backups));
        write_encryption(terminal, status.encryption);
        terminal.write(
            fmt::format("  transfers   {} running\n", status.running_transfers));
        if (!status.drain.empty()) {
          terminal.write(
              terminal.toned("  DRAINING    " + shown(status.drain, 400), Tone::kBad) +
              "\n");
        }
        terminal.write(fmt::format("  accounts    {}\n", status.accounts));
        for (const auto& one : status.openings) {
          terminal.write(fmt::format(
              "  open        from {}: {}, over {}{}\n", one.from, one.may, one.over,
              one.needs_account ? ", with an account that may" : ""));
        }
        terminal.write("              everything else is closed\n");
        write_ssh(terminal, status.ssh);
        if (status.trouble.empty()) {
          terminal.write(terminal.toned("  no trouble known", Tone::kGood) + "\n");
        }
        for (const auto& sentence : status.trouble) {
          terminal.write(
              terminal.toned("  TROUBLE     " + base::printable(sentence, 1000),
                             Tone::kBad) +
              "\n");
        }
      });
}

Done list_transfers(const Context& context) {
  return show(context, api::kTransfers, {},
              [](const Terminal& terminal, const api::TransferList& all) {
                write_or(transfer_table(all.transfers), terminal,
                         "No transfer is running; for ended ones: vantro ledger");
              });
}

Done show_changes(const Context& context, const api::ChangesAsked& asked) {
  return show(
      context, api::kChanges, asked,
      [&](const Terminal& terminal, const api::ChangePage& page) {
        Table table({{"NUMBER", Align::kRight}, {"WHEN"}, {"KIND"}, {"WHICH"}, {"BY"}});
        for (const auto& one : page.changes) {
          table.add({{std::to_string(one.sequence)},
                     {shown_time(one.at)},
                     {one.kind},
                     {one.object},
                     {one.by}});
        }
        write_or(table, terminal,
                 asked.after == 0
                     ? "Nothing was changed in the last week."
                     : fmt::format("Nothing was changed after number {}.", asked.after));
        if (page.more) {
          terminal.write(fmt::format("More: vantro changes --after {}\n",
                                     page.changes.back().sequence));
        }
      });
}

// The address that a device was last heard from; an address stands for itself.
Result<std::string> heard_from(const Context& context, const std::string& typed) {
  if (base::Address::parse(typed)) return typed;
  const auto answer = context.api.call(api::kContacts);
  if (!answer) return tl::unexpected(answer.error());
  const api::Contact* last = nullptr;
  for (const auto& one : answer->value.contacts) {
    if (base::folded(one.device) != base::folded(typed)) continue;
    if (last == nullptr || one.last_heard_at > last->last_heard_at) last = &one;
  }
  if (last != nullptr) return last->address;
  const auto device = context.api.call(api::kDevice, {typed});
  if (!device) return tl::unexpected(device.error());
  return tl::unexpected(Failure{
      ExitCode::kNotFound,
      fmt::format(
          "'{}' did not contact the server lately; 'vantro contact' lists who did",
          shown(typed, 80))});
}

Done show_contacts(const Context& context, const std::string& device) {
  if (device.empty()) {
    return show(
        context, api::kContacts, {},
        [](const Terminal& terminal, const api::ContactList& all) {
          const auto now = base::SystemClock{}.wall();
          Table table({{"LAST HEARD", Table::Align::kRight},
                       {"DEVICE"},
                       {"JOB", Table::Align::kLeft, 1},
                       {"ON", Table::Align::kLeft, 2},
                       {"OUTCOME"}});
          for (const auto& one : all.contacts) {
            const auto at = base::parse_iso_time(one.last_heard_at).value_or(now);
            const auto ago =
                static_cast<double>(std::max<std::int64_t>(0, now - at)) / 1000;
            table.add({{base::duration_text(ago) + " ago"},
                       {who_text(one.address, one.device, "")},
                       {one.job},
                       {one.heard_on},
                       {one.sentence, one.caution ? Tone::kBad : tone_of(one.state)}});
          }
          write_or(table, terminal,
                   "No device has contacted the server yet. If a device says that it "
                   "has, check the server's address on it, the route, and firewalls.");
        });
  }
  const auto address = heard_from(context, device);
  if (!address) return tl::unexpected(address.error());
  return show(
      context, api::kContact, {*address},
      [](const Terminal& terminal, const api::Story& story) {
        if (!story.job.empty()) {
          terminal.write(fmt::format("{}: its open job installs '{}'\n",
                                     shown(story.device), shown(story.job)));
        }
        Table table({{"WHEN"}, {"STATE"}, {"ON", Table::Align::kLeft, 1}, {"OUTCOME"}});
        for (const auto& line : story.lines) {
          table.add({{shown_time(line.at)},
                     {line.state, tone_of(line.state)},
                     {line.heard_on},
                     {line.sentence, line.caution ? Tone::kBad : Tone::kPlain}});
        }
        table.write(terminal);
      });
}

}  // namespace

void server_commands(const Command& top) {
  const auto transfer = top.group("transfer", "Show running transfers");
  transfer
      .add("list", "List running transfers, and those that ended just now",
           list_transfers)
      .shows_list()
      .example("transfer list")
      .related({"watch", "ledger"});
  {
    auto& address = top.keep<std::string>();
    const auto contact =
        top.add("contact", "Show who contacted the server, and the outcome",
                [&address](const Context& c) { return show_contacts(c, address); });
    contact.value("DEVICE", address, "Only this device or address, with its whole story");
    contact.shows_list()
        .example("contact")
        .example("contact 192.0.2.7")
        .related({"canary", "ledger", "device assign"});
  }
  {
    auto& asked = top.keep<api::ChangesAsked>();
    const auto changes =
        top.add("changes", "List the changes of the last week, numbered, oldest first",
                [&asked](const Context& c) { return show_changes(c, asked); });
    changes.value("--after", asked.after, "Only changes with a higher number")
        .range(0, INT64_MAX);
    changes.shows_list().example("changes --after 120").related({"ledger"});
  }
  {
    auto& seconds = top.keep<std::optional<double>>();
    const auto command =
        top.add("watch", "Follow all transfers live",
                [&seconds](const Context& c) { return watch(c, seconds); });
    command.value("--seconds", seconds, "End after this time").positive();
    command.example("watch").related({"transfer list", "job watch", "rescue watch"});
  }
}

void status_command(const Command& top) {
  top.add("status", "Show listeners, contents and trouble", show_status)
      .example("status")
      .related({"contact", "watch", "notice list"});
}

}  // namespace vantro::client
