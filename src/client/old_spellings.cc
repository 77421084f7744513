#include "client/old_spellings.h"

#include <algorithm>
#include <cstddef>
#include <fmt/format.h>
#include <optional>
#include <string_view>
#include <utility>

namespace vantro::client {
namespace {

using Words = std::vector<std::string>;

struct OldCommand {
  Words before;
  Words now;
  // How many words follow it in an old line; none: any number.
  std::optional<std::size_t> words_behind = {};
  bool swapped = false;  // the first two of them are in the other order now
};

const std::vector<OldCommand>& old_commands() {
  static const std::vector<OldCommand> kCommands{
      {{"image", "edit"}, {"image", "change"}},
      {{"image", "return"}, {"image", "withdraw", "--undo"}},
      {{"image", "save"}, {"image", "write"}},
      {{"image", "attach"}, {"image", "document", "add"}},
      {{"image", "detach"}, {"image", "document", "remove"}},
      {{"image", "document"}, {"image", "document", "write"}},
      {{"backup", "save"}, {"backup", "write"}},
      {{"backup", "pin"}, {"backup", "keep"}},
      {{"backup", "unpin"}, {"backup", "keep", "--undo"}},
      {{"backup", "thin-out"}, {"backup", "thin"}},
      {{"device", "edit"}, {"device", "change"}},
      {{"device", "claim"}, {"device", "assign"}, {}, true},
      {{"device", "site"}, {"site", "list"}, 0},
      {{"device", "site"}, {"site", "change"}},
      {{"route", "forget"}, {"route", "remove"}},
      {{"job", "plan"}, {"job", "add"}},
      {{"job", "show"}, {"job", "info"}},
      {{"job", "withdraw"}, {"job", "end"}},
      {{"rollout", "plan"}, {"rollout", "add"}},
      {{"rollout", "show"}, {"rollout", "info"}},
      {{"rollout", "withdraw"}, {"rollout", "end"}},
      {{"rescue", "show"}, {"rescue", "info"}},
      {{"rescue", "close"}, {"rescue", "end"}},
      {{"token", "renew"}, {"token", "change"}},
      {{"token", "revoke"}, {"token", "end"}},
  };
  return kCommands;
}

struct OldOption {
  std::string_view command;  // today's path and all below it; empty: every command
  std::string_view before;
  std::string_view now;
  bool without_its_value = false;
  std::string_view value = {};  // only with this one
};

const std::vector<OldOption>& old_options() {
  static const std::vector<OldOption> kOptions{
      {"image vouch", "--retract", "--undo"},
      {"image vouch", "--source", "--checksum-source"},
      {"image extract", "--as", "--name"},
      {"image remove", "--confirm", "--yes", true},
      {"image write", "--to", "--out"},
      {"image document write", "--to", "--out"},
      {"image list", "--text", "--name"},
      {"offer add", "--as", "--name"},
      {"offer", "--to", "--networks"},
      {"offer change", "--any-platform", "--any-platform", true, "yes"},
      {"offer change", "--any-platform", "--own-platform", true, "no"},
      {"offer", "--of", "--offered-to"},
      {"verify", "--no-wait", "--start-only"},
      {"drain", "--no-wait", "--start-only"},
      {"drain", "--for", "--until"},
      {"snapshot", "--no-wait", "--start-only"},
      {"push", "--background", "--start-only"},
      {"push", "--to", "--device"},
      {"backup write", "--to", "--out"},
      {"backup compare", "--to-device", "--with-device"},
      {"backup compare", "--to-file", "--with-file"},
      {"backup report", "--to", "--until"},
      {"backup offer add", "--as", "--name"},
      {"backup offer add", "--to", "--device"},
      {"backup adopt", "--as", "--name"},
      {"backup keep", "--why", "--reason"},
      {"backup thin", "--really", "--yes"},
      {"device", "--own-address", "--recovery-address"},
      {"route", "--from", "--running"},
      {"route", "--to", "--wanted"},
      {"ready", "--to", "--image"},
      {"job add", "--to", "--image"},
      {"job add", "--as", "--name"},
      {"rollout add", "--to", "--image"},
      {"rescue open", "--on", "--interface"},
      {"rescue open", "--for", "--until"},
      {"rescue open", "--watch", "--follow"},
      {"rescue open", "--text", "--file"},
      {"account", "--from", "--networks"},
      {"account", "--part", "--folder"},
      {"location", "--for", "--device"},
      {"token", "--of", "--by"},
      {"login", "--as", "--by"},
      {"ledger", "--of", "--device"},
      {"", "--remarks", "--remark"},
  };
  return kOptions;
}

// Options of every command that take a value, which is not a command.
bool takes_value(const std::string& word) {
  return word == "--server" || word == "--url" || word == "--token-file" ||
         word == "--progress";
}

// The places of the words that are not options, up to `most`.
std::vector<std::size_t> plain_words(const Words& words, std::size_t most) {
  std::vector<std::size_t> places;
  for (std::size_t i = 0; i < words.size() && places.size() < most; ++i) {
    if (takes_value(words[i])) {
      ++i;
    } else if (!words[i].starts_with('-')) {
      places.push_back(i);
    }
  }
  return places;
}

std::string path(const Words& words) { return fmt::format("{}", fmt::join(words, " ")); }

void renew_command(Renewed& line) {
  auto& words = line.words;
  const auto places = plain_words(words, 2);
  for (const auto& old : old_commands()) {
    if (places.size() < 2 || words[places[0]] != old.before[0] ||
        words[places[1]] != old.before[1]) {
      continue;
    }
    Words behind(words.begin() + static_cast<std::ptrdiff_t>(places[1]) + 1, words.end());
    const auto plain = static_cast<std::size_t>(
        std::count_if(behind.begin(), behind.end(),
                      [](const auto& word) { return !word.starts_with('-'); }));
    if (old.words_behind && plain != *old.words_behind) continue;
    const bool is_new =
        old.now.size() > 2 && !behind.empty() && !behind[0].empty() &&
        (behind[0] == "add" || behind[0] == "remove" || behind[0] == "write");
    if (is_new) continue;
    if (old.swapped && behind.size() >= 2) std::swap(behind[0], behind[1]);
    Words before(words.begin(), words.begin() + static_cast<std::ptrdiff_t>(places[0]));
    before.insert(before.end(), old.now.begin(), old.now.end());
    before.insert(before.end(), behind.begin(), behind.end());
    words = std::move(before);
    line.notes.push_back(
        fmt::format("'vantro {}' is now 'vantro {}'", path(old.before), path(old.now)));
    return;
  }
}

void renew_options(Renewed& line) {
  auto& words = line.words;
  Words command;
  for (const auto at : plain_words(words, 3)) command.push_back(words[at]);
  const auto is_in = [&](std::string_view wanted) {
    const auto own = path(command) + " ";
    return wanted.empty() || own.starts_with(std::string(wanted) + " ");
  };
  for (std::size_t i = 0; i < words.size(); ++i) {
    if (words[i] == "--") return;
    const auto equals = words[i].find('=');
    const auto name = words[i].substr(0, equals);
    const auto value = equals != std::string::npos ? words[i].substr(equals + 1)
                       : i + 1 < words.size()      ? words[i + 1]
                                                   : "";
    for (const auto& old : old_options()) {
      if (name != old.before || !is_in(old.command)) continue;
      if (!old.value.empty() && value != old.value) continue;
      if (old.without_its_value) {
        words[i] = old.now;
        if (equals == std::string::npos && i + 1 < words.size()) {
          words.erase(words.begin() + static_cast<std::ptrdiff_t>(i) + 1);
        }
      } else {
        words[i] = std::string(old.now) +
                   (equals == std::string::npos ? "" : words[i].substr(equals));
      }
      const auto* gap = old.value.empty() ? "" : " ";
      line.notes.push_back(
          fmt::format("'{}{}{}' is now '{}'", old.before, gap, old.value, old.now));
      break;
    }
  }
}

}  // namespace

Renewed in_todays_words(std::vector<std::string> words) {
  Renewed line{std::move(words), {}};
  renew_command(line);
  renew_options(line);
  for (auto& one : line.notes) one += "; the old word goes away with the next version";
  return line;
}

}  // namespace vantro::client
