<template>
  <div class="empty">
    <h1>Nothing is at this address</h1>
    <p class="second">It may have been typed wrongly, or what stood here has gone.</p>
    <router-link class="act" to="/ledger">To the Ledger</router-link>
  </div>
</template>
