// The tree as clients see it, the same for FTP and SFTP: files, folders, and a client's
// own uploads. May wait for the disk.
#pragma once

#include <string>
#include <string_view>

#include "base/outcome.h"
#include "gate/gate.h"
#include "wire/listing.h"

namespace vantro::serve {

wire::Entry entry_of(const gate::Listed& listed);

// Whether the asker may send a file of that name.
base::Outcome<void> may_send(gate::Gate& gate, const gate::Asker& asker,
                             const std::string& name);
// Into a folder of that name.
base::Outcome<void> may_send_into(gate::Gate& gate, const gate::Asker& asker,
                                  const std::string& folder);

// A file on offer or for reading back, or the asker's own last upload under the name:
// clients check it before they resume it, and after they have sent it.
base::Outcome<wire::Entry> file_entry(gate::Gate& gate, const gate::Asker& asker,
                                      const std::string& name);

}  // namespace vantro::serve
