import Archive from '@lucide/svelte/icons/archive';
import Bell from '@lucide/svelte/icons/bell';
import Bird from '@lucide/svelte/icons/bird';
import BookOpen from '@lucide/svelte/icons/book-open';
import Box from '@lucide/svelte/icons/box';
import Briefcase from '@lucide/svelte/icons/briefcase';
import Bug from '@lucide/svelte/icons/bug';
import CalendarDays from '@lucide/svelte/icons/calendar-days';
import Camera from '@lucide/svelte/icons/camera';
import Car from '@lucide/svelte/icons/car';
import ChartColumn from '@lucide/svelte/icons/chart-column';
import ClipboardList from '@lucide/svelte/icons/clipboard-list';
import Cloud from '@lucide/svelte/icons/cloud';
import Coins from '@lucide/svelte/icons/coins';
import Compass from '@lucide/svelte/icons/compass';
import Factory from '@lucide/svelte/icons/factory';
import FileText from '@lucide/svelte/icons/file-text';
import Flag from '@lucide/svelte/icons/flag';
import FlaskConical from '@lucide/svelte/icons/flask-conical';
import Flower2 from '@lucide/svelte/icons/flower-2';
import Folder from '@lucide/svelte/icons/folder';
import Gift from '@lucide/svelte/icons/gift';
import Globe from '@lucide/svelte/icons/globe';
import GraduationCap from '@lucide/svelte/icons/graduation-cap';
import Hammer from '@lucide/svelte/icons/hammer';
import Handshake from '@lucide/svelte/icons/handshake';
import Heart from '@lucide/svelte/icons/heart';
import Hexagon from '@lucide/svelte/icons/hexagon';
import House from '@lucide/svelte/icons/house';
import Inbox from '@lucide/svelte/icons/inbox';
import Key from '@lucide/svelte/icons/key';
import Landmark from '@lucide/svelte/icons/landmark';
import Leaf from '@lucide/svelte/icons/leaf';
import Lightbulb from '@lucide/svelte/icons/lightbulb';
import Mail from '@lucide/svelte/icons/mail';
import MapPin from '@lucide/svelte/icons/map-pin';
import Megaphone from '@lucide/svelte/icons/megaphone';
import Music from '@lucide/svelte/icons/music';
import Package from '@lucide/svelte/icons/package';
import Palette from '@lucide/svelte/icons/palette';
import Phone from '@lucide/svelte/icons/phone';
import Receipt from '@lucide/svelte/icons/receipt';
import Ruler from '@lucide/svelte/icons/ruler';
import Scale from '@lucide/svelte/icons/scale';
import Shield from '@lucide/svelte/icons/shield';
import Ship from '@lucide/svelte/icons/ship';
import ShoppingCart from '@lucide/svelte/icons/shopping-cart';
import Sprout from '@lucide/svelte/icons/sprout';
import Star from '@lucide/svelte/icons/star';
import Store from '@lucide/svelte/icons/store';
import Tag from '@lucide/svelte/icons/tag';
import Ticket from '@lucide/svelte/icons/ticket';
import TreePine from '@lucide/svelte/icons/tree-pine';
import Truck from '@lucide/svelte/icons/truck';
import User from '@lucide/svelte/icons/user';
import Users from '@lucide/svelte/icons/users';
import Utensils from '@lucide/svelte/icons/utensils';
import Wallet from '@lucide/svelte/icons/wallet';
import Warehouse from '@lucide/svelte/icons/warehouse';
import Wrench from '@lucide/svelte/icons/wrench';
import type { Icon } from '$core/types/icons';

/** The drawing of each sign. */
export const drawings: Readonly<Record<Icon, typeof Archive>> = {
  archive: Archive,
  bell: Bell,
  bird: Bird,
  'book-open': BookOpen,
  box: Box,
  briefcase: Briefcase,
  bug: Bug,
  'calendar-days': CalendarDays,
  camera: Camera,
  car: Car,
  'chart-column': ChartColumn,
  'clipboard-list': ClipboardList,
  cloud: Cloud,
  coins: Coins,
  compass: Compass,
  factory: Factory,
  'file-text': FileText,
  flag: Flag,
  'flask-conical': FlaskConical,
  'flower-2': Flower2,
  folder: Folder,
  gift: Gift,
  globe: Globe,
  'graduation-cap': GraduationCap,
  hammer: Hammer,
  handshake: Handshake,
  heart: Heart,
  hexagon: Hexagon,
  house: House,
  inbox: Inbox,
  key: Key,
  landmark: Landmark,
  leaf: Leaf,
  lightbulb: Lightbulb,
  mail: Mail,
  'map-pin': MapPin,
  megaphone: Megaphone,
  music: Music,
  package: Package,
  palette: Palette,
  phone: Phone,
  receipt: Receipt,
  ruler: Ruler,
  scale: Scale,
  shield: Shield,
  ship: Ship,
  'shopping-cart': ShoppingCart,
  sprout: Sprout,
  star: Star,
  store: Store,
  tag: Tag,
  ticket: Ticket,
  'tree-pine': TreePine,
  truck: Truck,
  user: User,
  users: Users,
  utensils: Utensils,
  wallet: Wallet,
  warehouse: Warehouse,
  wrench: Wrench,
};
