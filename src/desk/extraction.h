// Extracts members of an archive, on the server: as images of their own, or as documents
// of one.
#pragma once

#include <string>

#include "base/outcome.h"
#include "catalog/documents.h"
#include "desk/caller.h"
#include "gate/gate.h"
#include "gate/intake.h"
#include "repository/repository.h"

namespace vantro::desk {

// Names are as typed; a member is named as in the archive's list. Each call takes as long
// as unpacking does. Thread-safe; repository and gate must outlive it.
class Extraction {
 public:
  Extraction(repository::Repository& repository, gate::Gate& gate, Caller caller)
      : repository_(repository), gate_(gate), caller_(std::move(caller)) {}

  // `name`: of the new image; empty: the last part of the member's path. It is compared
  // with the checksum lists in the archive. kNotFound has the nearest member.
  base::Outcome<gate::Taken> image(const std::string& archive, const std::string& member,
                                   const std::string& name, bool hold) const;
  base::Outcome<catalog::Document> document(const std::string& archive,
                                            const std::string& member,
                                            const std::string& of_image) const;

 private:
  struct Opened {
    catalog::Image archive;
    base::UniqueFd file;
    probe::Member member;
    std::vector<probe::Member> members;
  };
  base::Outcome<Opened> open(const std::string& archive, const std::string& member) const;
  base::Outcome<std::string> text(const Opened& opened, const std::string& path,
                                  std::size_t most) const;
  base::Outcome<std::vector<repository::Claim>> claims(const Opened& opened) const;

  repository::Repository& repository_;
  gate::Gate& gate_;
  Caller caller_;
};

}  // namespace vantro::desk
