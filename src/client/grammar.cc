#include "client/grammar.h"

#include <algorithm>

namespace vantro::client {

const std::vector<Verb>& verbs() {
  static const std::vector<Verb> kVerbs{
      {"acknowledge", "Say that you have read the remarks"},
      {"add", "Make one", {"new", "create", "make", "put", "send", "plan"}},
      {"adopt", "Make an image of a file that a device sent"},
      {"assign", "Give the history of an address to a device"},
      {"change",
       "Change what you give; the rest stays. An empty value clears a field",
       {"edit", "set", "update", "modify", "rename", "alter"}},
      {"checksums", "Print a checksum list"},
      {"compare", "Show the differences between two", {"diff"}},
      {"continue", "Go on after failures"},
      {"end",
       "End it now, before its time; its record stays",
       {"stop", "close", "cancel", "revoke", "remove", "delete", "rm"}},
      {"extract", "Take members out of an archive", {"unpack", "untar"}},
      {"find", "Look a file or a checksum up", {"search", "lookup", "which", "check"}},
      {"history", "Show what a name stood for", {"log"}},
      {"import", "Read many from a file"},
      {"info",
       "Show everything about one",
       {"show", "view", "get", "display", "details", "describe", "status"}},
      {"keep", "Keep it whatever the retention rules say", {"pin", "hold", "protect"}},
      {"list", "Show all of a kind in a table", {"ls", "all", "show"}},
      {"mark", "Report a step that the server cannot see"},
      {"overdue", "Show those that are late"},
      {"profiles", "Show how each kind of device is recovered"},
      {"read", "Learn from a text that you paste"},
      {"ready", "Check everything before the point of no return"},
      {"recognise", "Show what the recognisers make of a name"},
      {"remove",
       "Remove it for good; asks first",
       {"delete", "del", "rm", "erase", "drop"}},
      {"report", "Show everything that changed in a time"},
      {"revisions", "Show all revisions", {"history", "versions", "log"}},
      {"rules", "Show the rules"},
      {"sheet", "Show the values to type on a device"},
      {"show", "Show how it is at this moment", {"info", "status", "view"}},
      {"sync", "Bring it up to date now", {"refresh", "update", "pull", "fetch"}},
      {"take", "Take over from a colleague", {"claim", "own"}},
      {"test", "Try it without effect"},
      {"thin",
       "Remove what retention no longer keeps; asks first",
       {"clean", "purge", "sweep", "expire"}},
      {"open", "Open it for a limited time", {"start", "begin", "add"}},
      {"use", "Choose the one to use from now on"},
      {"verify",
       "Read everything again and compare it with its record",
       {"check", "audit"}},
      {"vouch", "Compare with the maker's checksums"},
      {"watch", "Follow live", {"follow", "tail", "monitor"}},
      {"withdraw",
       "Take off offer for a reason that devices are told",
       {"recall", "block", "stop"}},
      {"write",
       "Write the bytes to a file on this machine",
       {"save", "get", "download", "fetch", "copy"}},
  };
  return kVerbs;
}

std::string verb_meant_by(std::string_view typed, const std::vector<std::string>& known) {
  for (const auto& verb : verbs()) {
    const bool meant = std::find(verb.also_typed.begin(), verb.also_typed.end(), typed) !=
                       verb.also_typed.end();
    if (meant && std::find(known.begin(), known.end(), verb.name) != known.end()) {
      return std::string(verb.name);
    }
  }
  return "";
}

const std::vector<OptionWord>& option_words() {
  static const std::vector<OptionWord> kOptions{
      // Who, what, when, where: the same words everywhere.
      {"--device", "DEVICE", "Device that is meant"},
      {"--devices", "DEVICES", "Devices that are meant"},
      {"--image", "IMAGE", "Image or kit that is meant"},
      {"--by", "PERSON", "Person who did it, or whose it is"},
      {"--from", "TIME", "Beginning of the time"},
      {"--until", "TIME", "End of the time"},
      {"--at", "TIME", "Moment that is meant"},
      {"--networks", "NETWORKS", "Networks that are meant"},
      {"--over", "PROTOCOLS", "Protocols that are meant"},
      {"--out", "FILE", "Local file to write; - is standard output"},
      {"--with", "FILE", "Local file to compare with"},
      {"--name", "NAME", "Name to give, or to filter by"},
      {"--reason", "TEXT", "Why; it is recorded and shown"},
      {"--remark", "TEXT", "What people should know"},
      {"--account", "ACCOUNT", "Account that the device logs in with"},
      {"--all", "", "All of them"},
      // How it is done.
      {"--dry-run", "", "Only show what would happen"},
      {"--yes", "", "Do not ask"},
      {"--undo", "", "Undo it"},
      {"--force", "", "Overwrite a file that exists"},
      {"--hold", "", "Keep it off offer"},
      {"--start-only", "", "Start it and return at once"},
      {"--follow", "", "Follow it live"},
      {"--stop", "", "Stop what runs"},
      {"--seconds", "SECONDS", "End after this time"},
      {"--quiet", "", "Without the bell"},
      // How it is shown.
      {"--json", "", "Print the answer as JSON"},
      {"--jsonl", "", "Print one JSON object for each row"},
      {"--csv", "", "Print comma-separated values"},
      {"--columns", "COLUMNS", "Show these columns"},
      {"--wide", "", "Show all columns, as wide as they are"},
      {"--sort", "COLUMN", "Sort by this column"},
      {"--reverse", "", "Sort in the opposite order"},
      {"--watch", "SECONDS", "Ask and show again after this time, until Ctrl-C"},
      {"--limit", "NUMBER", "Show at most this many rows"},
      {"--context", "NUMBER", "Lines around each difference"},
      {"--progress", "WORD", "How progress is shown: auto, plain or none"},
      {"--text", "", "Plain text"},
      {"--html", "", "A page to print"},
      {"--with-secrets", "",
       "Show the secrets; needs the right 'secrets', and is recorded"},
      {"--masked", "", "Mask the secrets"},
      // Which server.
      {"--server", "NAME", "Server that you logged in to"},
      {"--url", "URL", "Address or local socket of the server"},
      {"--token-file", "FILE", "File with the token"},
      {"--fingerprint", "CHECKSUM", "SHA-256 of the only certificate to accept"},
      // Images.
      {"--expect", "CHECKSUM", "Checksum from the maker, HEX or ALGORITHM:HEX"},
      {"--list", "FILE", "The maker's checksum list; - is standard input"},
      {"--signature", "FILE", "Detached signature of the list (minisign, OpenPGP)"},
      {"--key", "FILE", "The maker's public key"},
      {"--checksum-source", "TEXT", "Where the checksum came from"},
      {"--maker", "TEXT", "Maker"},
      {"--platform", "PLATFORM", "Device platform"},
      {"--hardware", "TEXT", "Hardware revision"},
      {"--role", "ROLE", "What an image is for, or what a person may do"},
      {"--version", "VERSION", "Version"},
      {"--line", "TEXT", "Release line"},
      {"--stage", "STAGE", "Stage of a release: new, proven or retiring"},
      {"--space", "SIZE", "Space that an image needs on a device"},
      {"--source", "TEXT", "Where the image came from"},
      {"--vouching", "WORD", "unvouched, vouched-weakly, vouched or contradicted"},
      {"--on-offer", "", "Only images on offer"},
      {"--held", "", "Only images not on offer"},
      {"--newest", "", "Only the newest of each release line"},
      {"--despite-findings", "", "Add the image even if it is truncated or damaged"},
      {"--recursive", "", "Add all images below a folder"},
      {"--keep-paths", "", "Keep the folders in the names"},
      {"--fill", "", "Set the facts that are missing"},
      {"--with-offers", "", "Restore the offers that the withdrawal ended"},
      {"--with-withdrawn", "", "Include withdrawn images"},
      {"--document-of", "IMAGE", "Attach it to this image as a document"},
      {"--any-platform", "", "Allow devices of other platforms"},
      {"--own-platform", "", "Allow devices of the image's platforms only"},
      {"--offered-to", "NETWORKS", "Which of several offers of that name"},
      {"--algorithm", "WORD", "md5, sha1, sha256 or sha512"},
      {"--add", "IMAGE", "Add this part"},
      {"--drop", "IMAGE", "Take this part out"},
      {"--part-remark", "TEXT", "Remark on a part; once for each, in order"},
      {"--unread-for", "DAYS", "Only contents not read for so many days"},
      {"--rate", "SIZE", "Bytes to read each second"},
      // Devices and backups.
      {"--revision", "NUMBER", "Revision (default: the newest complete one)"},
      {"--days", "DAYS", "Count the changes of so many days"},
      {"--with-device", "DEVICE", "Compare with the newest revision of another device"},
      {"--with-file", "NAME", "File of the other device"},
      {"--addresses", "NETWORKS", "Addresses and networks of a device"},
      {"--link-address", "LINK-ADDRESS", "Link address"},
      {"--site", "SITE", "Site"},
      {"--backup-every", "SPAN", "How often a backup is expected"},
      {"--quota", "SIZE", "Limit for the backups of a device"},
      {"--running-version", "VERSION", "Version that runs"},
      {"--boot-version", "VERSION", "Version of the boot part"},
      {"--model", "TEXT", "Platform as the device itself names it"},
      {"--serial", "TEXT", "Serial number"},
      {"--slots", "TEXT", "Contents of the slots: \"A=IMAGE, B=TEXT\""},
      {"--running-slot", "SLOT", "Slot that runs"},
      {"--next-slot", "SLOT", "Slot that starts next"},
      {"--once-slot", "SLOT", "Slot that starts once"},
      {"--free", "SIZE", "Free space"},
      {"--mask", "MASK", "Network mask during recovery"},
      {"--gateway", "ADDRESS", "Gateway during recovery"},
      {"--recovery-address", "ADDRESS", "Address of the device during recovery"},
      {"--recovery-port", "TEXT", "Physical port for recovery"},
      {"--member", "TEXT", "Member of a stack"},
      // Changes to devices.
      {"--running", "VERSION", "Version to start from"},
      {"--wanted", "VERSION", "Version to reach"},
      {"--purpose", "WORD", "upgrade, downgrade, convert or recover"},
      {"--slot", "SLOT", "Slot to write"},
      {"--state", "WORD", "State of a job"},
      {"--form", "WORD", "running, boot-prompt or maintenance"},
      {"--ping", "", "Report when the device answers pings"},
      {"--tcp", "PORT", "Report when the device accepts TCP on this port"},
      {"--batch", "NUMBER", "Devices of a batch"},
      {"--stop-after", "NUMBER", "Stop after so many failures"},
      // Dead devices.
      {"--interface", "INTERFACE", "Network interface of the wire"},
      {"--profile", "NAME", "How the device is recovered"},
      {"--any-device", "", "Serve everybody on the wire"},
      {"--own-address", "", "Let the server add the address that the device calls"},
      {"--despite-other", "", "Open it although another DHCP server answers"},
      {"--file", "FILE", "Local file that the profile asks for"},
      {"--wait", "SPAN", "Try for this long"},
      {"--block-size", "BYTES", "TFTP block size"},
      {"--window-size", "NUMBER", "TFTP window size in blocks"},
      {"--post", "", "HTTP: POST instead of PUT"},
      {"--host-key", "CHECKSUM", "SSH host key to accept from now on"},
      // People, accounts, tokens.
      {"--may", "RIGHTS", "What an account may do"},
      {"--folder", "FOLDER", "Folder that an account is limited to"},
      {"--rights", "RIGHTS", "Rights beside the role: secrets, push or none"},
      {"--password", "", "Ask for a new password"},
      {"--no-password", "", "Remove the password"},
      {"--no-token", "", "Make no token"},
      {"--replace", "", "Make a new token text and end the old one"},
      {"--off", "", "Switch off"},
      {"--on", "", "Switch on"},
      // The record.
      {"--after", "NUMBER", "Only rows with a higher number"},
      {"--event", "EVENTS", "Only these events"},
      {"--outcome", "WORD", "Only this outcome"},
      {"--request", "NAME", "Only rows of this request, as the log names it"},
      {"--mirror", "NAME", "Only rows that this mirror reported"},
      {"--noted", "ROW:HASH", "What an earlier check showed"},
  };
  return kOptions;
}

const std::vector<ValueWord>& value_words() {
  static const std::vector<ValueWord> kValues{
      {"ACCOUNT", "Name of an account for devices"},
      {"ADDRESS", "IP address: 192.0.2.7, 2001:db8::7"},
      {"BYTES", "Whole number of bytes"},
      {"CHECKSUM", "MD5, SHA-1, SHA-256 or SHA-512 in hexadecimal"},
      {"COLUMN", "Name of a column, as its head shows it; case does not matter"},
      {"COLUMNS", "Names of columns, comma-separated"},
      {"DAYS", "Whole number of days"},
      {"DEVICE", "Name of a device, one of its addresses, or its link address"},
      {"DEVICES", "Names of devices, or site=SITE,platform=PLATFORM"},
      {"DOCUMENT", "Name of a document of an image"},
      {"EVENTS", "Names of events, comma-separated: fetch, image-add"},
      {"FILE", "File on this machine; - is standard input or output"},
      {"FOLDER", "Folder"},
      {"IMAGE", "Image: any of its names, or its SHA-256 (8 digits or more)"},
      {"INTERFACE", "Network interface of the server: eth1"},
      {"LINK-ADDRESS", "Link address: 02:00:5e:10:00:01"},
      {"NAME", "Name"},
      {"NETWORKS", "Networks, comma-separated: 192.0.2.0/24, private, loopback"},
      {"NUMBER", "Whole number"},
      {"PERSON", "Name of a person"},
      {"PLATFORM", "Platform, comma-separated where an image fits several"},
      {"PORT", "TCP port"},
      {"PROTOCOLS", "Protocols, comma-separated: tftp, ftp, http, scp, sftp"},
      {"RIGHTS", "Rights, comma-separated"},
      {"ROLE",
       "Image: system, boot, module, recovery, other; person: look, operate, "
       "administer, mirror"},
      {"SECONDS", "Seconds"},
      {"SITE", "Name of a site"},
      {"SIZE", "Size: \"800 MiB\", \"2 GiB\", 4096"},
      {"SPAN", "Length of time: 90m, 4h, 3d, \"3 days\", P30D"},
      {"STAGE", "new, proven or retiring"},
      {"TEXT", "Text in one line"},
      {"TIME", "Time: 22:00, yesterday, \"2026-11-27 22:00\", 4h, \"3 days ago\""},
      {"URL", "Address of a server: https://192.0.2.10:7443"},
      {"VERSION", "Version: 7.6.1; in filters also \">=7.6\""},
      {"WORD", "One of the words that the help names"},
  };
  return kValues;
}

std::string option_of_field(std::string_view field) {
  if (field == "remarks") return "--remark";
  // Beside the flag of a rescue, which lets the server add one.
  if (field == "own_address") return "--recovery-address";
  std::string name(field);
  std::replace(name.begin(), name.end(), '_', '-');
  return "--" + name;
}

bool shows_list_only(std::string_view name) {
  for (const auto* one :
       {"--jsonl", "--csv", "--columns", "--wide", "--sort", "--reverse", "--watch"}) {
    if (name == one) return true;
  }
  return false;
}

std::string value_word(std::string_view name) {
  const auto& all = option_words();
  const auto found = std::find_if(all.begin(), all.end(),
                                  [&](const auto& one) { return one.name == name; });
  return found == all.end() || found->value.empty() ? "TEXT" : std::string(found->value);
}

}  // namespace vantro::client
