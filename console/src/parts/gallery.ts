// Every part of the look on one page, for developers: `npx vite` serves it at
// /parts.html. It is not in the binary.
import { mount } from 'svelte';
import '../app.css';
import Gallery from './Gallery.svelte';

mount(Gallery, { target: document.getElementById('app')! });
