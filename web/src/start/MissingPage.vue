<template>
  <h1 class="text-2xl font-semibold">This page does not exist.</h1>
  <p class="mt-1 text-soft">
    <RouterLink to="/" class="text-accent underline underline-offset-2">The fleet</RouterLink> leads to every
    machine.
  </p>
</template>
