#include "allocations.hpp"

#include <atomic>
#include <cstdlib>
#include <new>

namespace {

std::atomic<long> counted{0};

}  // namespace

// Every allocation of the test program goes through here.
void* operator new(std::size_t size) {
    ++counted;
    if (void* memory = std::malloc(size == 0 ? 1 : size)) return memory;
    throw std::bad_alloc();
}

// What sorting asks its scratch memory from.
void* operator new(std::size_t size, const std::nothrow_t&) noexcept {
    ++counted;
    return std::malloc(size == 0 ? 1 : size);
}

void operator delete(void* memory) noexcept {
    std::free(memory);
}
void operator delete(void* memory, std::size_t) noexcept {
    std::free(memory);
}

namespace workshop {

long allocations() {
    return counted;
}

}  // namespace workshop
