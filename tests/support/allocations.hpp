// How often the test program has asked for memory.
#pragma once

namespace workshop {

long allocations();

}  // namespace workshop
