// Headquarters' side: all that mirrors could be told at one moment, and one mirror's part
// of it.
#pragma once

#include <cstdint>
#include <map>
#include <memory>
#include <optional>
#include <set>
#include <string>
#include <vector>

#include "base/outcome.h"
#include "db/database.h"
#include "mirror/record.h"
#include "mirror/wants.h"

namespace vantro::mirror {

// The records of contents that a mirror is to fetch are not rows of a table, but in the
// same form: the key is the SHA-256.
inline constexpr const char* kContents = "contents";

// How urgent a content is: the least first.
enum class Urgency { kJob, kNamed, kLine, kPlatform };

// A content that a mirror is to fetch, as its record says it.
struct Wanted {
  std::string sha256;
  std::uint64_t size = 0;
  std::string name;  // of the image
  Urgency urgency = Urgency::kPlatform;
  std::string why;        // "job of heron-rtr", "platform causeway4"
  std::int64_t due = 0;   // when the job's window opens; 0: no such time
  std::string platforms;  // for finding an image that may share most of its bytes
};
Record record_of(const Wanted& wanted);
// kCorrupt.
base::Outcome<Wanted> wanted_of(const Key& key, const Record& record);

class Source {
 public:
  // Statements may throw, as db::Transaction's. Reads all offers with their images,
  // accounts, devices and open jobs.
  static std::shared_ptr<const Source> read(db::Transaction& transaction);

  // The part for a mirror that wants this.
  Picture part(const Wants& wants) const;

  std::int64_t sequence() const { return sequence_; }  // of the change log
  // Of a content that a mirror may fetch; nothing: it is not on offer, or not whole.
  std::optional<std::uint64_t> size_of(const std::string& sha256) const;

 private:
  using Row = std::pair<Key, std::shared_ptr<const Dated>>;
  struct Image {
    std::string sha256, name;
    std::uint64_t size = 0;
    std::string platforms;            // as in the column
    std::vector<std::string> folded;  // its platforms
    std::string line;                 // folded
    bool standing = false;            // an open offer names it
    bool withdrawn = false;
    bool whole = true;
    std::vector<Row> rows;

    bool can_be_fetched() const { return standing && !withdrawn && whole; }
  };
  struct Offer {
    std::string name;  // folded
    std::int64_t image = 0;
    Row row;
  };
  struct Kit {
    std::string name;  // folded
    std::vector<std::int64_t> images;
    std::vector<Row> rows;
  };
  struct Device {
    std::string name, site;  // the site folded
    std::vector<Row> rows;
  };
  struct Job {
    std::int64_t device = 0;
    std::int64_t due = 0;
    std::vector<std::string> contents;
    std::vector<Row> rows;
  };
  struct Choice {
    Urgency urgency = Urgency::kPlatform;
    std::string why;
    std::int64_t due = 0;
  };
  using Choices = std::map<std::int64_t, Choice>;  // by image

  Choices chosen(const Wants& wants, const std::set<std::int64_t>& devices) const;
  std::set<std::int64_t> devices_of(const Wants& wants) const;

  std::int64_t sequence_ = 0;
  std::map<std::int64_t, Image> images_;
  std::map<std::string, std::int64_t> by_content_;
  std::vector<Offer> offers_;
  std::vector<Kit> kits_;
  std::map<std::int64_t, Device> devices_;
  std::vector<Job> jobs_;
  std::vector<Row> common_;  // accounts, their keys, sites
};

}  // namespace vantro::mirror
