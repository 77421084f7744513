// Every command by the one grammar: its words have one meaning each, and its help says
// what a new user needs.
#include "client/grammar.h"

#include <algorithm>
#include <cctype>
#include <filesystem>
#include <fstream>
#include <gtest/gtest.h>
#include <map>
#include <regex>
#include <set>
#include <sstream>

#include "client/command_line.h"
#include "client/commands.h"
#include "client/old_spellings.h"

namespace vantro::client {
namespace {

class Grammar : public testing::Test {
 protected:
  // As main() does.
  static std::unique_ptr<CommandLine> make() {
    auto line = std::make_unique<CommandLine>("vantro", "about", "1.0");
    const auto top = line->top();
    static std::string server, url, token_file;
    top.value("--server", server, "Server");
    top.value("--url", url, "Address");
    top.value("--token-file", token_file, "File");
    add_commands(top);
    return line;
  }
  // As a shell takes a line apart.
  static std::vector<std::string> words_of(const std::string& line) {
    std::vector<std::string> words;
    std::string word;
    char quote = 0;
    bool any = false;
    for (const char c : line) {
      if (quote != 0 ? c == quote : c == '"' || c == '\'') {
        quote = quote != 0 ? 0 : c;
        any = true;
      } else if (quote == 0 && c == ' ') {
        if (any || !word.empty()) words.push_back(std::move(word));
        word.clear();
        any = false;
      } else {
        word += c;
      }
    }
    if (any || !word.empty()) words.push_back(word);
    const auto redirected = std::find_if(words.begin(), words.end(), [](const auto& one) {
      return one == ">" || one == "<" || one == "|";
    });
    words.erase(redirected, words.end());
    return words;
  }
};

TEST_F(Grammar, HasOneMeaningForEachVerb) {
  std::set<std::string_view> known;
  for (const auto& one : verbs()) EXPECT_TRUE(known.insert(one.name).second) << one.name;
  for (const auto& one : make()->commands()) {
    const auto space = one.path.rfind(' ');
    if (one.group || space == std::string::npos) continue;
    EXPECT_TRUE(known.contains(one.path.substr(space + 1))) << one.path;
  }
}

TEST_F(Grammar, HasOneMeaningForEachOption) {
  std::set<std::string_view> known, used;
  for (const auto& one : option_words()) {
    EXPECT_TRUE(known.insert(one.name).second) << one.name;
  }
  const auto all = make()->commands();
  for (const auto& one : all) {
    for (const auto& option : one.options) {
      const auto found = known.find(option);
      ASSERT_NE(found, known.end()) << one.path << " " << option;
      used.insert(*found);
    }
  }
  for (const auto* global :
       {"--json", "--server", "--url", "--token-file", "--progress"}) {
    used.insert(global);
  }
  for (const auto one : known)
    EXPECT_TRUE(used.contains(one)) << one << " is used nowhere";
}

TEST_F(Grammar, ExplainsEachKindOfValue) {
  std::set<std::string_view> known;
  for (const auto& one : value_words()) known.insert(one.name);
  for (const auto& one : option_words()) {
    if (one.value.empty() || one.value == "MASK" || one.value == "ROW:HASH" ||
        one.value == "SLOT") {
      continue;  // said where they stand
    }
    EXPECT_TRUE(known.contains(one.value)) << one.name << " " << one.value;
  }
}

TEST_F(Grammar, EveryListIsShownAsEveryOther) {
  for (const auto& one : make()->commands()) {
    const auto verb = one.path.substr(one.path.rfind(' ') + 1);
    if (one.group || verb != "list") continue;
    EXPECT_TRUE(one.list) << one.path;
  }
}

TEST_F(Grammar, EveryCommandHasAnExampleThatIsUnderstood) {
  for (const auto& one : make()->commands()) {
    if (one.group) continue;
    EXPECT_FALSE(one.examples.empty()) << one.path;
    for (const auto& example : one.examples) {
      auto words = words_of(example);
      ASSERT_EQ(words.front(), "vantro") << example;
      words.erase(words.begin());
      EXPECT_EQ(example.find("vantro " + one.path), 0u) << example;
      EXPECT_TRUE(in_todays_words(words).notes.empty()) << example;
      const auto parsed = make()->parse(words);
      EXPECT_EQ(parsed.wrong, "") << example;
      EXPECT_TRUE(parsed.run) << example;
    }
  }
}

TEST_F(Grammar, SaysWhatWasProbablyMeant) {
  const auto wrong = [](const std::vector<std::string>& words) {
    return make()->parse(words).wrong;
  };
  EXPECT_EQ(wrong({"ofer", "list"}),
            "unknown command 'vantro ofer'; nearest: 'offer'; 'vantro --help' lists the "
            "commands");
  EXPECT_EQ(wrong({"offer", "lst"}),
            "unknown command 'vantro offer lst'; nearest: 'list'; 'vantro offer --help' "
            "lists the commands");
  EXPECT_EQ(wrong({"offer", "add", "x.img", "--nmae", "y"}),
            "'vantro offer add' has no option '--nmae'; nearest: '--name'; 'vantro offer "
            "add --help' shows what it takes");
  // Its value is not taken for a command.
  EXPECT_EQ(wrong({"--socket", "/run/vantro.sock", "offer", "list"}),
            "'vantro' has no option '--socket'; 'vantro --help' shows what it takes");
  EXPECT_EQ(
      wrong({"--ulr=http://192.0.2.10:8080", "x", "offer", "list"}),
      "'vantro' has no option '--ulr'; nearest: '--url'; 'vantro --help' shows what "
      "it takes");
  EXPECT_EQ(wrong({"offer"}),
            "'vantro offer' needs a command; 'vantro offer --help' lists them");
  EXPECT_EQ(wrong({"status", "now"}),
            "'vantro status' does not take 'now'; 'vantro status --help' shows what it "
            "takes");
  EXPECT_EQ(wrong({"image", "list", "--csv", "--jsonl"}),
            "--json, --jsonl and --csv exclude each other");
  EXPECT_EQ(
      wrong({"help", "tmies"}),
      "no help on 'tmies'; nearest: 'times'; 'vantro help' lists commands and topics");
  // Another word for the same verb.
  EXPECT_EQ(wrong({"image", "show", "x.img"}),
            "unknown command 'vantro image show'; nearest: 'info'; 'vantro image --help' "
            "lists the commands");
  EXPECT_EQ(
      wrong({"offer", "delete", "x.img"}),
      "unknown command 'vantro offer delete'; nearest: 'end'; 'vantro offer --help' "
      "lists the commands");
}

TEST_F(Grammar, KnowsWhatTheNextWordStandsFor) {
  const auto next = [](const std::vector<std::string>& words) {
    const auto found = make()->expected(words);
    return found.command + ": " + found.word;
  };
  EXPECT_EQ(next({"image", "info"}), "image info: IMAGE");
  EXPECT_EQ(next({"image", "info", "x.img"}), "image info: ");
  EXPECT_EQ(next({"kit", "add", "spring", "a.img", "b.img"}), "kit add: IMAGE");
  EXPECT_EQ(next({"ledger", "--device"}), "ledger: DEVICE");
  EXPECT_EQ(next({"--server", "hq", "job", "add", "--image"}), "job add: IMAGE");
  EXPECT_EQ(next({"job", "add", "--image", "x.img"}), "job add: DEVICE");
  EXPECT_EQ(next({"offer", "end"}), "offer end: NAME");
  EXPECT_EQ(next({"backup", "info", "weir"}), "backup info: NAME");
  EXPECT_EQ(next({"status"}), "status: ");
  EXPECT_EQ(next({}), ": ");
}

TEST_F(Grammar, IsWhatTheDocumentationShows) {
  namespace fs = std::filesystem;
  std::vector<fs::path> pages{VANTRO_SOURCE_DIR "/README.md"};
  for (const auto& one : fs::recursive_directory_iterator(VANTRO_SOURCE_DIR "/docs")) {
    if (one.path().extension() == ".md") pages.push_back(one.path());
  }
  std::size_t seen = 0;
  for (const auto& page : pages) {
    std::ifstream file(page);
    for (std::string line, more; std::getline(file, line);) {
      while (line.ends_with('\\') && std::getline(file, more)) {
        line.pop_back();
        line += more;
      }
      auto words = words_of(line);
      if (words.empty() || words[0] != "$") continue;
      words.erase(words.begin());
      if (!words.empty() && words[0] == "sudo") words.erase(words.begin());
      if (words.empty() || words[0] != "vantro") continue;
      words.erase(words.begin());
      const auto end = std::find_if(words.begin(), words.end(), [](const auto& one) {
        return one == "#" || one == "&&" || one == "||";
      });
      words.erase(end, words.end());
      EXPECT_TRUE(in_todays_words(words).notes.empty()) << page << ": " << line;
      EXPECT_EQ(make()->parse(words).wrong, "") << page << ": " << line;
      ++seen;
    }
  }
  EXPECT_GT(seen, 80u);
}

// Calls `see` with each source of the folder and its text, in which a literal that goes
// on in the next line is one. Old spellings have the old words.
template <class F>
void each_source(const std::string& folder, F see) {
  const std::regex broken("\"\\s*\n\\s*\"");
  for (const auto& one :
       std::filesystem::recursive_directory_iterator(VANTRO_SOURCE_DIR + folder)) {
    const auto kind = one.path().extension();
    const bool source = kind == ".cc" || kind == ".tsx" || kind == ".ts";
    if (!source || one.path().filename() == "old_spellings.cc") continue;
    std::stringstream written;
    written << std::ifstream(one.path()).rdbuf();
    see(one.path().string(), std::regex_replace(written.str(), broken, ""));
  }
}

std::vector<std::string> found_in(const std::string& text, const std::regex& wanted,
                                  std::size_t group = 0) {
  std::vector<std::string> all;
  for (std::sregex_iterator at(text.begin(), text.end(), wanted), end; at != end; ++at) {
    all.push_back((*at)[group].str());
  }
  return all;
}

// What a refusal tells people to type must be there, in today's words.
TEST_F(Grammar, IsWhatMessagesName) {
  const auto line = make();
  std::map<std::string, std::set<std::string>> known;  // a command and its options
  for (const auto& one : line->commands()) {
    known[one.path].insert(one.options.begin(), one.options.end());
  }
  const std::set<std::string> everywhere{"--server", "--url",  "--token-file", "--json",
                                         "--help",   "--csv",  "--jsonl",      "--wide",
                                         "--watch",  "--sort", "--columns"};
  const std::regex named("'vantro ([a-z][^'\n]*)'");  // a command stands in quotes
  std::size_t seen = 0;
  const auto look = [&](const std::string& file, const std::string& text) {
    for (const auto& command : found_in(text, named, 1)) {
      const auto words = words_of(command);
      EXPECT_TRUE(in_todays_words(words).notes.empty()) << file << ": " << command;
      std::string path = words[0];
      std::size_t i = 1;
      while (i < words.size() && known.contains(path + " " + words[i])) {
        path += " " + words[i++];
      }
      EXPECT_TRUE(path == "help" || known.contains(path)) << file << ": " << command;
      for (; i < words.size(); ++i) {
        if (!words[i].starts_with("--")) continue;
        const auto option = words[i].substr(0, words[i].find_first_of("=,;:)"));
        EXPECT_TRUE(known[path].contains(option) || everywhere.contains(option))
            << file << ": " << command;
      }
      ++seen;
    }
  };
  each_source("/src", look);
  each_source("/console/src", look);
  EXPECT_GT(seen, 60u);
}

// The same for an option that is named alone, as in "give --image".
TEST_F(Grammar, HasEveryOptionThatMessagesName) {
  std::set<std::string> known{"--help", "--recover-database", "--accept-older-database"};
  for (const auto& one : option_words()) known.insert(std::string(one.name));
  const std::regex literal("\"(?:[^\"\\\\\n]|\\\\.)* (?:[^\"\\\\\n]|\\\\.)*\""),
      option("--[a-z][a-z-]+"),
      other_program("'?(vantrod|ip|setcap|nft|iptables|curl|useradd)[ '][^']*--");
  std::size_t seen = 0;
  each_source("/src", [&](const std::string& file, const std::string& text) {
    // vantrod has options of its own.
    if (file.find("/src/daemon/") != std::string::npos ||
        file.find("/manual/") != std::string::npos) {
      return;
    }
    for (const auto& sentence : found_in(text, literal)) {
      if (std::regex_search(sentence, other_program)) continue;
      for (const auto& word : found_in(sentence, option)) {
        EXPECT_TRUE(known.contains(word)) << file << ": " << sentence;
        ++seen;
      }
    }
  });
  EXPECT_GT(seen, 150u);
}

TEST_F(Grammar, IsWrittenDown) {
  std::ifstream file(VANTRO_SOURCE_DIR "/docs/reference.md");
  std::stringstream written;
  written << file.rdbuf();
  EXPECT_NE(written.str().find(make()->reference()), std::string::npos)
      << "docs/reference.md is out of date: scripts/api-docs";
}

}  // namespace
}  // namespace vantro::client
