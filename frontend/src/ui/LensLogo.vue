<template>
  <svg width="30" height="24" viewBox="0 0 30 24" aria-hidden="true">
    <path d="M12.6 3.2C5 2.6.8 7 .8 12s4.2 9.4 11.8 8.8l6-8.8Z" fill="#2B756F" />
    <circle cx="19" cy="12" r="9.2" fill="#F6F1E7" stroke="#1E2A2F" stroke-width="2.2" />
    <circle cx="5.6" cy="12" r="1.7" fill="#F6F1E7" />
    <path d="M14.4 12.6c.2-3 2-5 4.6-5.2" fill="none" stroke="#2B756F" stroke-width="1.8" stroke-linecap="round" />
  </svg>
</template>
