<template>
  <div class="page">
    <h1>There is no such page</h1>
    <p class="mt-2"><router-link to="/">Home</router-link></p>
  </div>
</template>
