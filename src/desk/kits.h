// What people do with kits. Each change and its ledger row are one transaction.
#pragma once

#include <string>
#include <vector>

#include "base/outcome.h"
#include "catalog/kits.h"
#include "desk/caller.h"
#include "repository/repository.h"

namespace vantro::desk {

// Names are as typed. Thread-safe; the repository must outlive it.
class Kits {
 public:
  Kits(repository::Repository& repository, Caller caller)
      : repository_(repository), caller_(std::move(caller)) {}

  base::Outcome<catalog::Kit> add(const std::string& name, const std::string& remarks,
                                  const std::vector<std::string>& images,
                                  const std::vector<std::string>& part_remarks);
  // The same for an existing kit: all parts in their order, including those that stay.
  base::Outcome<catalog::Kit> change(const std::string& name, const std::string& remarks,
                                     const std::vector<std::string>& images,
                                     const std::vector<std::string>& part_remarks);
  base::Outcome<void> remove(const std::string& name);

 private:
  base::Outcome<catalog::Kit> kit_of(const std::string& name, const std::string& remarks,
                                     const std::vector<std::string>& images,
                                     const std::vector<std::string>& part_remarks);

  repository::Repository& repository_;
  Caller caller_;
};

}  // namespace vantro::desk
