#include "probe/look.h"

#include "probe/archive.h"
#include "probe/boot_image.h"
#include "probe/extents.h"
#include "probe/image_tree.h"

namespace vantro::probe {

Report look_inside(const Source& source) {
  for (const auto look : {look_at_boot_image, look_at_image_tree, look_at_elf,
                          look_at_disc_image, look_at_archive}) {
    if (auto report = look(source)) return std::move(*report);
  }
  Report report;
  report.say("nothing inside that could be checked: unknown format");
  return report;
}

}  // namespace vantro::probe
