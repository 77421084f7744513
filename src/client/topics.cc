#include "client/topics.h"

#include <algorithm>
#include <fmt/format.h>

namespace vantro::client {

const std::vector<Topic>& topics() {
  static const std::vector<Topic> kTopics{
      {"options", "options that every command takes",
       R"(Options of every command

  --server NAME      Call this server that you logged in to
                     (or VANTRO_SERVER)
  --url URL          Call this address or local socket (or VANTRO_URL;
                     default: the vantrod on this machine)
  --token-file FILE  Read the token from this file (or VANTRO_TOKEN has it;
                     default: as you logged in)
  --json             Print the answer as JSON; an error is JSON as well
  --progress WORD    auto: a bar on a terminal, nothing elsewhere
                     plain: a line now and then, for logs and pipes
                     none: nothing

Options of every list

  --jsonl            One JSON object for each row
  --csv              Comma-separated values with all fields
  --columns COLUMNS  These columns, in this order
  --wide             All columns, as wide as they are
  --sort COLUMN      Sort by this column; --reverse turns it round
  --watch SECONDS    Ask and show again, until Ctrl-C

A list that is longer than the terminal goes through $PAGER (default: less).
NO_COLOR switches colours off.
)"},
      {"times", "how you can type a time",
       R"(Times

  22:00                the last 22:00, or the next one where the time is ahead
  yesterday, today, tomorrow, "tomorrow 06:00"
  "2026-11-27 22:00"   in the zone of this machine
  2026-11-27T21:00:00Z in UTC
  4h, 90m, 3d, 2w      back from now, or from now on where the time is ahead
  "3 days ago", "in 2 hours"
  P30D, PT4H           the same, as ISO 8601 writes it
  ever                 no end, for --until

Vantro shows the time that it understood.
)"},
      {"devices", "how you can name a device, an image, a checksum",
       R"(Devices

Wherever a DEVICE is meant, type its name, one of its addresses, or its link address.
Letter case does not matter where it leaves one device.

Images

Wherever an IMAGE is meant, type any of its names, or its SHA-256: 8 digits are enough
where they leave one image.

Where nothing fits, Vantro names the nearest one.
)"},
      {"exit-codes", "what the exit code says",
       R"(Exit codes

  0  done
  1  the server refused it, or it failed there
  2  wrong use
  3  no server answers
  4  the token or the certificate is missing or wrong
  5  there is no such thing
  6  a checksum differs, or stored bytes are damaged
  7  a local file cannot be read or written
  8  backups are overdue

With --json an error is a JSON object on standard error:
  {"error": {"exit_code": 5, "message": "...", "nearest": "..."}}
"nearest" is there where a name would have worked.
)"},
      {"offers", "images, offers, kits: what a device can fetch",
       R"(Images and offers

An image is bytes with checksums and facts (maker, platform, version, role). It never
changes. An offer is a name under which devices can fetch an image: over which protocols,
from which networks, until when. 'vantro image add' makes both.

  vantro image add FILE       adds an image and offers it under its name
  vantro offer add IMAGE      offers it under one more name
  vantro offer end NAME       ends one offer
  vantro image withdraw IMAGE ends all its offers; devices are told why

To vouch for an image is to compare it with a checksum from its maker: it is then
'vouched', 'contradicted', or still 'unvouched'. A kit is images that belong together.
)"},
      {"backups", "what devices send, and how it is kept",
       R"(Backups

A device sends a file over TFTP, FTP, HTTP, SCP or SFTP. It is kept under the device and
the name that the device gave. Other bytes under the same name are a new revision; nothing
is overwritten. An upload that was interrupted is kept apart as partial.

  vantro backup list              one row for each file: the newest, and its state
  vantro backup compare DEVICE    what changed last
  vantro backup overdue           devices whose backup is late
  vantro backup write DEVICE NAME the bytes, into a file here

Passwords and keys are masked wherever a configuration is shown.
)"},
      {"jobs", "a planned change of one device, or of many",
       R"(Jobs

A job is one device's planned change: image, route, readiness, progress, confirmation.

  vantro ready DEVICE --image IMAGE    check everything before the point of no return
  vantro job add DEVICE --image IMAGE  plan it; colleagues see it
  vantro job sheet DEVICE              the values to type, in their order
  vantro job watch DEVICE              follow it in large letters
  vantro job mark DEVICE running       report what the server cannot see
  vantro rollout add ...               the same for many devices, in batches
)"},
      {"rescue", "a device without a working system",
       R"(Rescue

A rescue session is open for a limited time and to one device: an address, the file under
the name that it insists on, or an image that is pushed to it. At its end everything is
put back.

  vantro rescue open DEVICE --interface eth1 --dry-run   check the wire first
  vantro rescue open DEVICE --interface eth1 --follow    open it and follow it
  vantro push IMAGE --device ADDRESS                     send to a device that listens
)"},
  };
  return kTopics;
}

const Topic* topic(std::string_view name) {
  const auto& all = topics();
  const auto found = std::find_if(all.begin(), all.end(),
                                  [&](const auto& one) { return one.name == name; });
  return found == all.end() ? nullptr : &*found;
}

std::string topics_list() {
  std::string out = "\nTopics (vantro help TOPIC):\n";
  for (const auto& one : topics())
    out += fmt::format("  {:<12}{}\n", one.name, one.about);
  return out;
}

}  // namespace vantro::client
