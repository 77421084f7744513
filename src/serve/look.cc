#include "serve/look.h"

#include "base/visible_name.h"

namespace vantro::serve {

using auth::Action;
using wire::Entry;

Entry entry_of(const gate::Listed& listed) {
  Entry entry;
  entry.name = listed.name;
  entry.folder = listed.name.ends_with('/');
  if (entry.folder) entry.name.pop_back();
  entry.size = listed.size;
  entry.changed_at = listed.since;
  return entry;
}

base::Outcome<void> may_send(gate::Gate& gate, const gate::Asker& asker,
                             const std::string& name) {
  if (!name.starts_with(gate::kIntakeFolder)) {
    return gate.would_allow(asker, Action::kDeposit, name);
  }
  return gate.would_allow(asker, Action::kHandIn,
                          name.substr(gate::kIntakeFolder.size()));
}

base::Outcome<void> may_send_into(gate::Gate& gate, const gate::Asker& asker,
                                  const std::string& folder) {
  return may_send(gate, asker, folder + "/x");
}

base::Outcome<Entry> file_entry(gate::Gate& gate, const gate::Asker& asker,
                                const std::string& name) {
  Entry entry;
  entry.name = base::last_part(name);
  const auto found = gate.find(asker, name);
  if (found) {
    entry.size = found->size;
    entry.changed_at = found->since;
    return entry;
  }
  const auto own = gate.own_upload(asker, name);
  if (!own || !*own) return base::refuse(found.error());
  entry.size = (*own)->size;
  entry.changed_at = (*own)->at;
  return entry;
}

}  // namespace vantro::serve
